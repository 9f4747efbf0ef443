// One endpoint: where it is, why, the path to it, where it was, and its notes.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { api, type Endpoint, need } from "../api/client";
import {
  endpointQuery,
  homesQuery,
  ipsQuery,
  quietTimesQuery,
  readingPausesQuery,
} from "../api/resources/endpoints";
import { findingsQuery } from "../api/resources/findings";
import { endpointLinksQuery } from "../api/resources/links";
import { enrolmentQuery } from "../api/resources/rules";
import { historyQuery } from "../api/resources/stays";
import { originText, vlanText } from "../find/model";
import { FindingTable } from "../findings/FindingTable";
import { Age } from "../shared/Age";
import { DeviceLinks } from "../shared/DeviceLinks";
import { Exports } from "../shared/Exports";
import { Fact } from "../shared/Fact";
import { Facts, Field, Grid, Heading, Sheet, Title } from "../shared/Grid";
import { TimeLink, useAt } from "../shared/instant";
import { LeaveGuard } from "../shared/LeaveGuard";
import { portPath } from "../shared/links";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { fullTime } from "../shared/time";
import { PathTo } from "./PathTo";
import { TimeLine } from "./TimeLine";

const EVERY = { state: ["open" as const, "acknowledged" as const, "cleared" as const], parts: true };

export function EndpointPage() {
  const { mac = "" } = useParams();
  return <Whole mac={mac} at={useAt()} />;
}

function Whole({ mac, at }: { mac: string; at: string | undefined }) {
  const one = useQuery(endpointQuery(mac, at));
  const history = useQuery(historyQuery(mac));
  const quiet = useQuery(quietTimesQuery(mac));
  const pauses = useQuery(readingPausesQuery(mac));
  const findings = useQuery(findingsQuery({ mac, ...EVERY }));
  return (
    <QueryView query={one} rows={8}>
      {(endpoint) => (
        <>
          <About one={endpoint} />
          <PathTo mac={endpoint.mac} at={at} />
          <Heading>
            Where it was <Exports list="stays" filters={{ mac: endpoint.mac, ended: "true" }} />
          </Heading>
          <Sheet tabIndex={0} aria-label="stays over time">
            <QueryView query={history} rows={4}>
              {(page) => (
                <TimeLine
                  stays={page.items}
                  quiet={quiet.data ?? []}
                  pauses={pauses.data ?? []}
                  findings={findings.data?.items ?? []}
                />
              )}
            </QueryView>
          </Sheet>
          <Homes mac={mac} />
          {(findings.data?.items.length ?? 0) > 0 && (
            <>
              <Heading>Findings</Heading>
              <Sheet tabIndex={0} aria-label="findings">
                <FindingTable findings={findings.data?.items ?? []} stateShown />
              </Sheet>
            </>
          )}
          <Addresses mac={mac} />
          <Notes key={endpoint.mac} one={endpoint} />
        </>
      )}
    </QueryView>
  );
}

function Homes({ mac }: { mac: string }) {
  const homes = useQuery(homesQuery(mac));
  return (
    <>
      <Heading>At home</Heading>
      <Sheet tabIndex={0} aria-label="homes over time">
        <QueryView query={homes} rows={2}>
          {(rows) =>
            rows.length === 0 ? (
              <Nothing>
                Nowhere in the last thirty days: only ports that lead to other switches have it.
              </Nothing>
            ) : (
              <Grid>
                <tbody>
                  {rows.toReversed().map((row) => (
                    <tr key={`${row.since} ${row.switch} ${row.port} ${row.vlan}`}>
                      <td>
                        <TimeLink to={portPath(row.switch, row.port)}>
                          {row.switch} · {row.port}
                        </TimeLink>
                      </td>
                      <td>{row.vlan !== null && `VLAN ${row.vlan}`}</td>
                      <td>since {fullTime(row.since)}</td>
                      <td>{row.until ? `until ${fullTime(row.until)}` : "until now"}</td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

function Addresses({ mac }: { mac: string }) {
  const ips = useQuery(ipsQuery(mac));
  return (
    <>
      <Heading>IP addresses and host names</Heading>
      <Sheet tabIndex={0} aria-label="IP addresses">
        <QueryView query={ips} rows={2}>
          {(rows) =>
            rows.length === 0 ? (
              <Nothing>None seen in the neighbour caches of routers.</Nothing>
            ) : (
              <Grid>
                <tbody>
                  {rows.map((row) => (
                    <tr key={`${row.ip} ${row.began_at} ${row.source}`}>
                      <td className="mono">{row.ip}</td>
                      <td>{row.host_names.join(", ")}</td>
                      <td className="soft">from {row.source}</td>
                      <td>since {fullTime(row.began_at)}</td>
                      <td>{row.ended_at && `until ${fullTime(row.ended_at)}`}</td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

function About({ one }: { one: Endpoint }) {
  const home = one.home;
  const links = useQuery(endpointLinksQuery(one.mac));
  const called = one.label || one.host_names[0] || one.ips[0];
  return (
    <>
      <Flex align="baseline" gap="4px 14px" wrap="wrap">
        <Title fontFamily="mono" marginBottom="0">
          {one.mac}
        </Title>
        <chakra.span fontSize="20px" fontWeight={600}>
          {called}
        </chakra.span>
      </Flex>
      <chakra.p fontSize="17px" margin="4px 0" css={{ "& a": { color: "tarn", fontWeight: 700 } }}>
        {home ? (
          <>
            <StatusText of={home.life} /> at{" "}
            <TimeLink to={portPath(home.switch, home.port)}>
              {home.switch} · {home.port}
            </TimeLink>
            {home.port_alias && ` (${home.port_alias})`}, for <Age at={home.began_at} />:{" "}
            <StatusText of={one.confidence} />
          </>
        ) : (
          `It has no home: ${one.why}.`
        )}
      </chakra.p>
      <DeviceLinks links={links.data ?? []} />
      <Facts>
        <Fact label="home">
          {home ? (
            <TimeLink to={portPath(home.switch, home.port)}>
              {home.switch} · {home.port}
            </TimeLink>
          ) : (
            "none"
          )}
        </Fact>
        {one.homes_elsewhere.length > 0 && (
          <Fact label="in other areas">
            {one.homes_elsewhere.map((other) => (
              <chakra.span key={other.area} display="block">
                <TimeLink to={portPath(other.home.switch, other.home.port)}>
                  {other.home.switch} · {other.home.port}
                </TimeLink>
                , {other.area ? `area ${other.area}` : "sites without an area"}
              </chakra.span>
            ))}
          </Fact>
        )}
        <Fact label="port label">{home?.port_alias ?? ""}</Fact>
        <Fact label="VLAN">{home ? vlanText(home.vlan, home.vlan_name) : ""}</Fact>
        <Fact label="confidence">{one.confidence !== "none" && <StatusText of={one.confidence} />}</Fact>
        <Fact label="last seen">{home && <Age at={home.seen_at} ago />}</Fact>
        <Fact label="IP">{one.ips.join(", ")}</Fact>
        <Fact label="host name">{one.host_names.join(", ")}</Fact>
        <Rolls mac={one.mac} />
        <Fact label="owner">{one.owner}</Fact>
        <Fact label="first seen">
          <Age at={one.first_seen_at} ago />
        </Fact>
      </Facts>
      <chakra.ul margin="8px 0 0 18px" listStyleType="disc">
        {one.reasons.map((reason) => (
          <li key={reason}>{reason}</li>
        ))}
        <li>{originText(one.maker, one.origin)}</li>
      </chakra.ul>
    </>
  );
}

function Notes({ one }: { one: Endpoint }) {
  const client = useQueryClient();
  const [kept, setKept] = useState(() => said(one));
  const [draft, setDraft] = useState(kept);
  const put = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const save = useMutation({
    meta: { done: "Saved." },
    mutationFn: (body: typeof draft) =>
      need(api.PATCH("/api/v1/endpoints/{mac}", { params: { path: { mac: one.mac } }, body })),
    onSuccess: (_, sent) => setKept(sent),
    onSettled: () => client.invalidateQueries({ queryKey: ["search"] }),
  });
  const changed = JSON.stringify(draft) !== JSON.stringify(kept);
  return (
    <>
      <Heading>Notes</Heading>
      <LeaveGuard changed={changed} what={`What you wrote about ${one.mac} is not saved.`} />
      <Flex gap="10px" align="center" wrap="wrap">
        <label htmlFor="label">Label</label>
        <Field
          id="label"
          value={draft.label}
          onChange={(event) => put({ label: event.target.value })}
          maxLength={128}
        />
        <label htmlFor="owner">Owner</label>
        <Field
          id="owner"
          value={draft.owner}
          onChange={(event) => put({ owner: event.target.value })}
          maxLength={128}
        />
        <label htmlFor="notes">Notes</label>
        <Field
          id="notes"
          value={draft.notes}
          onChange={(event) => put({ notes: event.target.value })}
          width="360px"
        />
        <Button
          size="sm"
          bg="tarn"
          color="onTarn"
          loading={save.isPending}
          onClick={() => save.mutate(draft)}
        >
          Save
        </Button>
      </Flex>
      {save.error && <ErrorNotice error={save.error} />}
    </>
  );
}

const said = ({ label, owner, notes }: Endpoint) => ({ label, owner, notes });

/** Where it may be, and whether it must be nowhere. */
function Rolls({ mac }: { mac: string }) {
  const rolls = useQuery(enrolmentQuery(mac)).data;
  return (
    <>
      <Fact label="enrolled at">{rolls?.enrolled.join("; ")}</Fact>
      <Fact label="barred">{rolls?.barred}</Fact>
    </>
  );
}
