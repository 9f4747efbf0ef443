// Enrolment windows: open one, and decide on those who were present in it.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { candidatesQuery, windowsQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Field, Grid, Heading, Sheet } from "../shared/Grid";
import { endpointPath, portPath } from "../shared/links";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { fullTime, span } from "../shared/time";
import { EnrolList } from "./EnrolList";
import { chosenLevel } from "./model";
import { WhereChoice } from "./WhereChoice";

type Window = Schemas["EnrolmentWindow"];
type Candidate = Schemas["Candidate"];
const DAY_MS = 86_400_000;

export function EnrolmentPage() {
  const [params, setParams] = useSearchParams();
  const windows = useQuery(windowsQuery);
  const asked = Number(params.get("window"));
  return (
    <>
      <p>In a window those present become candidates; nobody is enrolled but by a person's word.</p>
      <OpenWindow />
      <QueryView query={windows} rows={3}>
        {(all) => {
          const chosen = all.find((one) => one.id === asked) ?? all.find((one) => one.state !== "closed");
          return all.length === 0 ? (
            <Nothing>No window was opened yet.</Nothing>
          ) : (
            <>
              <Sheet tabIndex={0} aria-label="windows">
                <Windows
                  all={all}
                  chosen={chosen?.id}
                  choose={(id) => setParams({ window: String(id) }, { replace: true })}
                />
              </Sheet>
              {chosen && <Candidates window={chosen} />}
            </>
          );
        }}
      </QueryView>
      <EnrolList />
    </>
  );
}

function OpenWindow() {
  const client = useQueryClient();
  const [where, setWhere] = useState("");
  const [back, setBack] = useState("0");
  const [days, setDays] = useState("7");
  const [hours, setHours] = useState("1");
  const open = useMutation({
    mutationFn: () => {
      const begins = Date.now() - Number(back) * DAY_MS;
      return need(
        api.POST("/api/v1/enrolment-windows", {
          body: {
            level: chosenLevel(where),
            begins_at: new Date(begins).toISOString(),
            ends_at: new Date(Date.now() + Number(days) * DAY_MS).toISOString(),
            min_present_s: Number(hours) * 3600,
            note: "",
          },
        }),
      );
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["rules"] }),
  });
  return (
    <>
      <Flex gap="8px" align="center" wrap="wrap" margin="10px 0">
        <WhereChoice id="window-level" label="Open one at" where={where} setWhere={setWhere} />
        <label htmlFor="window-back">from days back</label>
        <Field
          id="window-back"
          type="number"
          min={0}
          max={80}
          width="70px"
          value={back}
          onChange={(event) => setBack(event.target.value)}
        />
        <label htmlFor="window-days">for days from now</label>
        <Field
          id="window-days"
          type="number"
          min={1}
          max={60}
          width="70px"
          value={days}
          onChange={(event) => setDays(event.target.value)}
        />
        <label htmlFor="window-hours">present for hours</label>
        <Field
          id="window-hours"
          type="number"
          min={0}
          width="70px"
          value={hours}
          onChange={(event) => setHours(event.target.value)}
        />
        <Button size="sm" bg="tarn" color="onTarn" disabled={open.isPending} onClick={() => open.mutate()}>
          Open the window
        </Button>
      </Flex>
      {open.error && <ErrorNotice error={open.error} />}
    </>
  );
}

function Windows({
  all,
  chosen,
  choose,
}: {
  all: Window[];
  chosen: number | undefined;
  choose: (id: number) => void;
}) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>Window</th>
          <th>State</th>
          <th>At</th>
          <th>Begins</th>
          <th>Ends</th>
          <th>Present for</th>
          <th>By</th>
        </tr>
      </thead>
      <tbody>
        {all.map((one) => (
          <tr key={one.id}>
            <td>
              <Button
                size="xs"
                variant="outline"
                aria-pressed={one.id === chosen}
                onClick={() => choose(one.id)}
              >
                {one.id}
              </Button>
            </td>
            <td>{one.state}</td>
            <td>{one.level}</td>
            <td>{fullTime(one.begins_at)}</td>
            <td>{fullTime(one.ends_at)}</td>
            <td>{one.min_present_s > 0 && span(one.min_present_s * 1000)}</td>
            <td>{one.by}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}

const keyOf = (one: Candidate) => `${one.mac} ${one.switch} ${one.port}`;

function Candidates({ window }: { window: Window }) {
  const client = useQueryClient();
  const found = useQuery(candidatesQuery(window.id));
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [note, setNote] = useState("");
  const decide = useMutation({
    mutationFn: ({ refs, accept }: { refs: Candidate[]; accept: boolean }) => {
      const plain = refs.map((one) => ({ mac: one.mac, switch: one.switch, port: one.port }));
      return need(
        api.POST("/api/v1/enrolment-windows/{number}/decisions", {
          params: { path: { number: window.id } },
          body: { accept: accept ? plain : [], refuse: accept ? [] : plain, note },
        }),
      );
    },
    onSuccess: () => setChosen(new Set()),
    onSettled: () => client.invalidateQueries(),
  });
  const close = useMutation({
    mutationFn: () =>
      need(
        api.POST("/api/v1/enrolment-windows/{number}/close", {
          params: { path: { number: window.id } },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: ["rules"] }),
  });
  const error = decide.error ?? close.error;
  return (
    <>
      <Heading>
        Candidates of window {window.id}, {window.level}
      </Heading>
      <QueryView query={found} rows={6}>
        {(all) => {
          const waiting = all.filter((one) => one.decision === "waiting");
          const picked = waiting.filter((one) => chosen.has(keyOf(one)));
          const allChosen = waiting.length > 0 && picked.length === waiting.length;
          return (
            <>
              <Flex gap="8px" align="center" wrap="wrap" margin="0 0 8px">
                <span>
                  {waiting.length} wait for a decision, {picked.length} chosen
                </span>
                <label htmlFor="candidate-note">Note</label>
                <Field
                  id="candidate-note"
                  value={note}
                  maxLength={255}
                  onChange={(event) => setNote(event.target.value)}
                />
                <Button
                  size="sm"
                  bg="tarn"
                  color="onTarn"
                  disabled={picked.length === 0 || decide.isPending}
                  onClick={() => decide.mutate({ refs: picked, accept: true })}
                >
                  Enrol those chosen
                </Button>
                <Button
                  size="sm"
                  variant="outline"
                  disabled={picked.length === 0 || decide.isPending}
                  onClick={() => decide.mutate({ refs: picked, accept: false })}
                >
                  Refuse them
                </Button>
                {window.state !== "closed" && (
                  <Button size="sm" variant="outline" onClick={() => close.mutate()}>
                    Close the window
                  </Button>
                )}
              </Flex>
              {error && <ErrorNotice error={error} />}
              <Sheet tabIndex={0} aria-label="candidates" maxHeight="60vh" overflow="auto">
                {all.length === 0 ? (
                  <Nothing>Nobody who is not enrolled was present for long enough.</Nothing>
                ) : (
                  <Grid>
                    <thead>
                      <tr>
                        <th>
                          <input
                            type="checkbox"
                            aria-label="choose all who wait"
                            checked={allChosen}
                            onChange={() => setChosen(new Set(allChosen ? [] : waiting.map(keyOf)))}
                          />
                        </th>
                        <th>Address</th>
                        <th>At</th>
                        <th>VLAN</th>
                        <th>Name, IP</th>
                        <th>Maker</th>
                        <th className="n">Present</th>
                        <th>Since</th>
                        <th>Decision</th>
                      </tr>
                    </thead>
                    <tbody>
                      {all.map((one) => (
                        <tr key={keyOf(one)}>
                          <td>
                            {one.decision === "waiting" && (
                              <input
                                type="checkbox"
                                aria-label={`choose ${one.mac}`}
                                checked={chosen.has(keyOf(one))}
                                onChange={() => {
                                  const next = new Set(chosen);
                                  if (!next.delete(keyOf(one))) next.add(keyOf(one));
                                  setChosen(next);
                                }}
                              />
                            )}
                          </td>
                          <td className="mono">
                            <Link to={endpointPath(one.mac)}>{one.mac}</Link>
                          </td>
                          <td className="tight">
                            <Link to={portPath(one.switch, one.port)}>
                              {one.switch} · {one.port}
                            </Link>
                          </td>
                          <td>{one.vlans.join(", ")}</td>
                          <td>{[one.label, ...one.host_names, ...one.ips].filter(Boolean).join(", ")}</td>
                          <td>
                            {one.maker}
                            {one.kind && <chakra.span color="soft"> {one.kind}</chakra.span>}
                          </td>
                          <td className="n">{Math.round(one.share * 100)} %</td>
                          <td className="tight">
                            <Age at={one.since} ago />
                          </td>
                          <td>
                            <StatusText of={one.decision} title={one.decided_by} />
                          </td>
                        </tr>
                      ))}
                    </tbody>
                  </Grid>
                )}
              </Sheet>
            </>
          );
        }}
      </QueryView>
    </>
  );
}
