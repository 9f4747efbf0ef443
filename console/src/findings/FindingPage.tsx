// One finding: title, likely cause, evidence, whether it is over, and what to do.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { Messages } from "../alerts/Messages";
import { api, type Finding, need } from "../api/client";
import { findingQuery, kindQuery, partsQuery } from "../api/resources/findings";
import { Age, useIsPast, useNow } from "../shared/Age";
import { Fact } from "../shared/Fact";
import { Facts, Field, Grid, Heading, Sheet, Title } from "../shared/Grid";
import { endpointPath, findingPath, mapOf, portPath, switchPath, withAt } from "../shared/links";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { fullTime, instantOfInput, shortTime, span } from "../shared/time";
import { FindingTable } from "./FindingTable";
import { occurrences } from "./model";

export function FindingPage() {
  const id = Number(useParams().id);
  const one = useQuery(findingQuery(id));
  const parts = useQuery({ ...partsQuery(id), enabled: (one.data?.parts ?? 0) > 0 });
  return (
    <QueryView query={one} rows={6}>
      {(finding) => (
        <>
          <About one={finding} />
          <Occurrences one={finding} />
          <Heading>Evidence</Heading>
          <Sheet tabIndex={0} aria-label="evidence">
            <Evidence one={finding} />
          </Sheet>
          {(parts.data?.items.length ?? 0) > 0 && (
            <>
              <Heading>What it explains</Heading>
              <Sheet tabIndex={0} aria-label="explained findings">
                <FindingTable findings={parts.data?.items ?? []} stateShown />
              </Sheet>
            </>
          )}
          <Heading>Told</Heading>
          <Messages finding={id} />
          <Help kind={finding.kind} />
        </>
      )}
    </QueryView>
  );
}

function About({ one }: { one: Finding }) {
  const live = one.state !== "cleared";
  return (
    <>
      <Title>{one.title}</Title>
      <Facts>
        <Fact label="severity">
          <StatusText of={one.severity} />
        </Fact>
        <Fact label="state">
          <StatusText of={one.state} />
        </Fact>
        <Fact label="kind">{one.kind}</Fact>
        <Fact label="first">
          <Age at={one.first_at} ago />
        </Fact>
        <Fact label="opened">{one.times_opened > 1 ? `${one.times_opened} times` : ""}</Fact>
        <Fact label="pieces of evidence">{one.count}</Fact>
        <Fact label="is it over?">
          <Over one={one} />
        </Fact>
      </Facts>
      <chakra.p margin="8px 0">
        <chakra.strong>Likely cause:</chakra.strong> {one.cause || "unclear"}
      </chakra.p>
      <Where one={one} />
      {one.part_of && (
        <p>
          Explained by <Link to={findingPath(one.part_of)}>finding {one.part_of}</Link>.
        </p>
      )}
      {one.state === "acknowledged" && (
        <p>
          {one.acknowledged_by} looks after it{one.note && `: ${one.note}`}
          {one.acknowledged_until && `, until ${fullTime(one.acknowledged_until)}`}
        </p>
      )}
      {live && <Act one={one} />}
    </>
  );
}

function Over({ one }: { one: Finding }) {
  const now = useNow();
  const overdue = useIsPast(one.may_be_over_at);
  if (one.state === "cleared")
    return <>yes, cleared {one.cleared_by ? `by ${one.cleared_by}` : "by itself"}</>;
  if (one.may_be_over_at && !overdue)
    return (
      <>
        no: it was so <Age at={one.last_at} ago />
      </>
    );
  const left = one.clears_at ? Date.parse(one.clears_at) - now : 0;
  return (
    <>
      {overdue ? "it may be: " : ""}quiet for <Age at={one.last_at} />
      {left > 0 && `; clears in ${span(left)} if nothing comes`}
      {one.clears_at && left <= 0 && "; clears once its switches show that it is over"}
    </>
  );
}

function Where({ one }: { one: Finding }) {
  const ports = one.ports.filter((port) => port.switch);
  return (
    <chakra.p margin="8px 0" css={{ "& a": { color: "tarn", fontWeight: 600, marginRight: "14px" } }}>
      {one.mac && <Link to={endpointPath(one.mac)}>{one.mac}</Link>}
      {ports.map((port) => (
        <Link key={`${port.switch} ${port.port}`} to={portPath(port.switch, port.port)}>
          {port.switch} · {port.port}
        </Link>
      ))}
      <Link to={mapOf("finding", one.id)}>on the map</Link>
      {one.switch && ports.length === 0 && <Link to={switchPath(one.switch)}>{one.switch}</Link>}
    </chakra.p>
  );
}

function Act({ one }: { one: Finding }) {
  const client = useQueryClient();
  const [note, setNote] = useState("");
  const [until, setUntil] = useState("");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["findings"] }) };
  const path = { number: one.id };
  const acknowledge = useMutation({
    meta: { done: "Acknowledged." },
    mutationFn: () =>
      need(
        api.POST("/api/v1/findings/{number}/acknowledge", {
          params: { path },
          body: { note, until: instantOfInput(until) || null },
        }),
      ),
    ...settled,
  });
  const clear = useMutation({
    meta: { done: "Cleared." },
    mutationFn: () => need(api.POST("/api/v1/findings/{number}/clear", { params: { path } })),
    ...settled,
  });
  const error = acknowledge.error ?? clear.error;
  return (
    <Box margin="12px 0">
      <Flex gap="10px" align="center" wrap="wrap">
        <label htmlFor="note">Note</label>
        <Field id="note" value={note} onChange={(event) => setNote(event.target.value)} width="320px" />
        <label htmlFor="until">until</label>
        <Field
          id="until"
          type="datetime-local"
          value={until}
          onChange={(event) => setUntil(event.target.value)}
        />
        <Button size="sm" bg="tarn" color="onTarn" onClick={() => acknowledge.mutate()}>
          Acknowledge
        </Button>
        <Button size="sm" variant="outline" onClick={() => clear.mutate()}>
          Clear
        </Button>
      </Flex>
      {error && <ErrorNotice error={error} />}
    </Box>
  );
}

function Evidence({ one }: { one: Finding }) {
  const latest = [...one.evidence].reverse();
  return (
    <Grid>
      <tbody>
        {latest.map((piece) => (
          <tr key={`${piece.at} ${piece.text}`}>
            <td className="tight">
              <Link to={withAt(placeOf(one), piece.at)} title="the place, as of that instant">
                {fullTime(piece.at)}
              </Link>
            </td>
            <td className="tight soft wide">
              <Age at={piece.at} ago />
            </td>
            <td>{piece.text}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}

/** The page that shows best what a finding is about. */
function placeOf(one: Finding): string {
  const port = one.ports.find((each) => each.switch && each.port);
  if (one.mac) return endpointPath(one.mac);
  if (port) return portPath(port.switch, port.port);
  return one.switch ? switchPath(one.switch) : "/history";
}

const BINS = 60;

/** When it occurred, and whether it is over, as a picture. */
function Occurrences({ one }: { one: Finding }) {
  const now = useNow();
  const end = one.cleared_at ? Date.parse(one.cleared_at) : now;
  const bins = occurrences(one, end, BINS);
  const most = Math.max(...bins.map((bin) => bin.count), 1);
  // Its clock may be a moment ahead of ours.
  const since = Math.max(0, end - Date.parse(one.last_at));
  const quiet = Math.min(BINS, (BINS * since) / Math.max(1, end - (bins[0]?.from ?? end)));
  const over = one.state === "cleared";
  return (
    <>
      <Heading>When it occurred</Heading>
      <Sheet>
        <chakra.figure margin="0" padding="10px 14px">
          <chakra.svg
            viewBox={`0 0 ${BINS * 10} 60`}
            width="100%"
            maxWidth="900px"
            height="60px"
            preserveAspectRatio="none"
            role="img"
            aria-label={`evidence over time, none in the last ${span(since)}`}
          >
            {bins.map((bin, at) => (
              <chakra.rect
                key={bin.from}
                x={at * 10 + 1}
                width={8}
                y={56 - (50 * bin.count) / most}
                height={Math.max(bin.count > 0 ? 4 : 0, (50 * bin.count) / most)}
                fill={over ? "soft" : "bad"}
              >
                <title>{`${bin.count} from ${shortTime(new Date(bin.from).toISOString())}`}</title>
              </chakra.rect>
            ))}
            <chakra.rect
              x={(BINS - quiet) * 10}
              y={56}
              width={quiet * 10}
              height={4}
              fill={over ? "good" : "warn"}
            />
          </chakra.svg>
          <chakra.figcaption color="soft" fontSize="13px">
            From {shortTime(new Date(bins[0]?.from ?? end).toISOString())} to{" "}
            {over ? `when it cleared, ${shortTime(one.cleared_at ?? "")}` : "now"}; the bar below is how long
            it has been quiet.
            {one.count > one.evidence.length &&
              ` The latest ${one.evidence.length} of ${one.count} are kept.`}
          </chakra.figcaption>
        </chakra.figure>
      </Sheet>
    </>
  );
}

function Help({ kind }: { kind: string }) {
  const page = useQuery(kindQuery(kind));
  return (
    <>
      <Heading>What to do</Heading>
      <QueryView query={page} rows={3}>
        {(help) => (
          <Box maxWidth="820px" css={{ "& p": { margin: "0 0 8px" } }}>
            <p>{help.action}</p>
            <p>
              <strong>Why it matters.</strong> {help.why}
            </p>
            <p>
              <strong>What it looks like.</strong> {help.evidence}
            </p>
            <p>
              <strong>How to reduce these.</strong> {help.fewer}
            </p>
          </Box>
        )}
      </QueryView>
    </>
  );
}
