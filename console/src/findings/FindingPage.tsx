// One finding: title, likely cause, evidence, whether it is over, and what to do.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { Messages } from "../alerts/Messages";
import { api, type Finding, need } from "../api/client";
import { findingQuery, kindQuery, partsQuery } from "../api/resources/findings";
import { Age, useNow } from "../shared/Age";
import { Fact } from "../shared/Fact";
import { Facts, Field, Grid, Heading, Sheet, Title } from "../shared/Grid";
import { endpointPath, findingPath, portPath, switchPath } from "../shared/links";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { fullTime, span } from "../shared/time";
import { FindingTable } from "./FindingTable";

export function FindingPage() {
  const id = Number(useParams().id);
  const one = useQuery(findingQuery(id));
  const parts = useQuery({ ...partsQuery(id), enabled: (one.data?.parts ?? 0) > 0 });
  return (
    <QueryView query={one} rows={6}>
      {(finding) => (
        <>
          <About one={finding} />
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
  if (one.state === "cleared")
    return <>yes, cleared {one.cleared_by ? `by ${one.cleared_by}` : "by itself"}</>;
  const left = one.clears_at ? Date.parse(one.clears_at) - now : 0;
  return (
    <>
      quiet for <Age at={one.last_at} />
      {left > 0 ? `; clears in ${span(left)} if nothing comes` : ""}
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
      {one.switch && ports.length === 0 && <Link to={switchPath(one.switch)}>{one.switch}</Link>}
    </chakra.p>
  );
}

function Act({ one }: { one: Finding }) {
  const client = useQueryClient();
  const [note, setNote] = useState("");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["findings"] }) };
  const path = { number: one.id };
  const acknowledge = useMutation({
    mutationFn: () =>
      need(api.POST("/api/v1/findings/{number}/acknowledge", { params: { path }, body: { note } })),
    ...settled,
  });
  const clear = useMutation({
    mutationFn: () => need(api.POST("/api/v1/findings/{number}/clear", { params: { path } })),
    ...settled,
  });
  const error = acknowledge.error ?? clear.error;
  return (
    <Box margin="12px 0">
      <Flex gap="10px" align="center" wrap="wrap">
        <label htmlFor="note">Note</label>
        <Field id="note" value={note} onChange={(event) => setNote(event.target.value)} width="320px" />
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
            <td className="tight">{fullTime(piece.at)}</td>
            <td className="tight soft">
              <Age at={piece.at} ago />
            </td>
            <td>{piece.text}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
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
