// Differences between two instants: after a change window, or since yesterday.
import { Button, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { differencesQuery } from "../api/resources/history";
import { switchesQuery } from "../api/resources/switches";
import { Age } from "../shared/Age";
import { Exports } from "../shared/Exports";
import { Choice, Field, Grid, Sheet, Title } from "../shared/Grid";
import { endpointPath, withAt } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { instantOfInput, timeInput } from "../shared/time";
import { UnreadNotice } from "../shared/Unread";
import { groupsOf } from "../switches/model";

const SPANS: [string, number][] = [
  ["15 min", 15],
  ["1 h", 60],
  ["8 h", 480],
  ["1 day", 1440],
  ["7 days", 10_080],
];

export function ComparePage() {
  const [params, setParams] = useSearchParams();
  const [opened] = useState(() => Date.now());
  const since = params.get("since") ?? new Date(opened - 3_600_000).toISOString();
  const until = params.get("until") ?? undefined;
  const [on, name] = (params.get("on") ?? "").split(":");
  const chosen = {
    ...(on === "switch" && name ? { switch: name } : {}),
    ...(on === "group" && name ? { group: name } : {}),
  };
  const filter = { since, ...(until ? { until } : {}), ...chosen };
  const compared = useQuery(differencesQuery(filter));
  const switches = useQuery(switchesQuery);
  const known = switches.data?.items ?? [];
  const set = (values: Record<string, string>) => {
    const next = { ...Object.fromEntries(params), ...values };
    setParams(Object.fromEntries(Object.entries(next).filter(([, value]) => value !== "")));
  };
  return (
    <>
      <Title>Compare two instants</Title>
      <Flex gap="10px" align="center" wrap="wrap" margin="0 0 12px">
        <label htmlFor="since">From</label>
        <Field
          id="since"
          type="datetime-local"
          value={timeInput(since)}
          onChange={(event) => set({ since: instantOfInput(event.target.value) })}
        />
        <label htmlFor="until">to</label>
        <Field
          id="until"
          type="datetime-local"
          value={until ? timeInput(until) : ""}
          onChange={(event) => set({ until: instantOfInput(event.target.value) })}
        />
        <span>(empty: now)</span>
        {SPANS.map(([text, minutes]) => (
          <Button
            key={text}
            size="xs"
            variant="outline"
            onClick={() => set({ since: new Date(Date.now() - minutes * 60_000).toISOString(), until: "" })}
          >
            last {text}
          </Button>
        ))}
        <label htmlFor="on">on</label>
        <Choice id="on" value={params.get("on") ?? ""} onChange={(event) => set({ on: event.target.value })}>
          <option value="">all switches</option>
          {groupsOf(known).map((group) => (
            <option key={group} value={`group:${group}`}>
              group {group}
            </option>
          ))}
          {known.map((one) => (
            <option key={one.name} value={`switch:${one.name}`}>
              {one.name}
            </option>
          ))}
        </Choice>
        <Exports list="differences" filters={filter} />
      </Flex>
      <UnreadNotice at={since} on={chosen} />
      <UnreadNotice at={until} on={chosen} />
      <Sheet tabIndex={0} aria-label="what differs">
        <QueryView query={compared} rows={8}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>
                {page.next
                  ? "No differences so far; more addresses remain to be compared."
                  : "No differences."}
              </Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Difference</th>
                    <th>Address</th>
                    <th>Before</th>
                    <th>After</th>
                    <th>When</th>
                  </tr>
                </thead>
                <tbody>
                  {page.items.map((one) => (
                    <tr key={one.mac}>
                      <td className="tight">
                        <StatusText of={one.kind} />
                      </td>
                      <td className="mono">
                        <Link to={endpointPath(one.mac)}>{one.mac}</Link>
                      </td>
                      <td>
                        <Places of={one.before} mac={one.mac} at={since} />
                      </td>
                      <td>
                        <Places of={one.after} mac={one.mac} at={until} />
                      </td>
                      <td className="tight">
                        <Age at={one.at} ago />
                      </td>
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

function Places({ of, mac, at }: { of: string[]; mac: string; at: string | undefined }) {
  return of.length > 0 && <Link to={withAt(endpointPath(mac), at)}>{of.join(", ")}</Link>;
}
