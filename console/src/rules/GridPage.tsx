// Ports by rule: find, sort, choose many, and mark what is to be set there.
import { chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { rollCallsQuery } from "../api/resources/rules";
import { Choice, Field, Grid, Sheet } from "../shared/Grid";
import { portPath } from "../shared/links";
import { Nothing, Notice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import {
  type CalledPort,
  chosenLevel,
  levelText,
  marked,
  type Pending,
  portState,
  type SortBy,
  sorted,
  type Values,
  valueText,
} from "./model";
import { PendingEdits } from "./PendingEdits";
import { useRules } from "./RulesLayout";
import { ValueFields } from "./Values";
import { WhereChoice } from "./WhereChoice";

const LIMIT = 1000;

export function GridPage() {
  const [params, setParams] = useSearchParams();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const { pending, setPending } = useRules();
  const where = params.get("where") ?? "";
  const filter = chosenLevel(where);
  const broken = params.get("broken") === "yes";
  const calls = useQuery(rollCallsQuery({ ...filter, broken, without_rule: true, limit: LIMIT }));
  const by = (params.get("sort") ?? "place") as SortBy;
  const text = (params.get("q") ?? "").toLowerCase();
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next, { replace: true });
  };
  const levels = [...chosen].map((key) => {
    const [name = "", port = ""] = key.split("\n");
    return { switch: name, port };
  });
  return (
    <>
      <PendingEdits />
      <Flex gap="8px" align="center" wrap="wrap" margin="0 0 10px">
        <WhereChoice id="where" label="Ports of" where={where} setWhere={(next) => set("where", next)} />
        <Field
          aria-label="Filter by name or label"
          placeholder="name or label"
          value={params.get("q") ?? ""}
          onChange={(event) => set("q", event.target.value)}
        />
        <label htmlFor="sort">Sort by</label>
        <Choice id="sort" value={by} onChange={(event) => set("sort", event.target.value)}>
          <option value="place">switch and port</option>
          <option value="state">state</option>
          <option value="present">most present</option>
          <option value="room">least room</option>
        </Choice>
        <label>
          <input type="checkbox" checked={broken} onChange={() => set("broken", broken ? "" : "yes")} /> only
          broken rules
        </label>
      </Flex>
      <Flex margin="0 0 10px" align="center" gap="12px" wrap="wrap">
        <chakra.span color="soft">{chosen.size} chosen</chakra.span>
        {chosen.size > 0 && (
          <ValueFields
            of={chosen.size === 1 ? "this port" : `${chosen.size} ports`}
            mark={(values) => {
              setPending(marked(pending, levels, values));
              setChosen(new Set());
            }}
          />
        )}
      </Flex>
      <QueryView query={calls} cutTold rows={10}>
        {(page) => {
          const shown = sorted(page.items, by).filter((one) =>
            `${one.switch} ${one.port} ${one.alias}`.toLowerCase().includes(text),
          );
          return (
            <>
              {page.next && (
                <Notice tone="warn">
                  The first {page.items.length} ports. Choose a switch or a group for others.
                </Notice>
              )}
              <Sheet tabIndex={0} aria-label="ports by rule" maxHeight="70vh" overflow="auto">
                {shown.length === 0 ? (
                  <Nothing>No port matches.</Nothing>
                ) : (
                  <Ports ports={shown} chosen={chosen} choose={setChosen} pending={pending} />
                )}
              </Sheet>
            </>
          );
        }}
      </QueryView>
    </>
  );
}

const keyOf = (port: CalledPort) => `${port.switch}\n${port.port}`;

function Ports({
  ports,
  chosen,
  choose,
  pending,
}: {
  ports: CalledPort[];
  chosen: ReadonlySet<string>;
  choose: (next: ReadonlySet<string>) => void;
  pending: Pending;
}) {
  const all = ports.every((one) => chosen.has(keyOf(one)));
  const toggle = (keys: string[], on: boolean) => {
    const next = new Set(chosen);
    for (const key of keys) {
      if (on) next.add(key);
      else next.delete(key);
    }
    choose(next);
  };
  return (
    <Grid>
      <thead>
        <tr>
          <th>
            <input
              type="checkbox"
              aria-label="choose all"
              checked={all}
              onChange={() => toggle(ports.map(keyOf), !all)}
            />
          </th>
          <th>Switch</th>
          <th>Port</th>
          <th>Label</th>
          <th className="n">Present</th>
          <th>Seats</th>
          <th className="n">Room</th>
          <th>Watched</th>
          <th>VLANs</th>
          <th>On breach</th>
          <th className="n">Enrolled</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        {ports.map((one) => {
          const change = pending.get(levelText({ switch: one.switch, port: one.port }));
          return (
            <tr key={keyOf(one)}>
              <td>
                <input
                  type="checkbox"
                  aria-label={`choose ${one.switch} ${one.port}`}
                  checked={chosen.has(keyOf(one))}
                  onChange={() => toggle([keyOf(one)], !chosen.has(keyOf(one)))}
                />
              </td>
              <td className="tight">{one.switch}</td>
              <td className="tight">
                <Link to={portPath(one.switch, one.port)}>{one.port}</Link>
              </td>
              <td>{one.alias}</td>
              <td className="n">{one.present}</td>
              <Value port={one} name="seats" change={change} none="" />
              <td className="n">{one.room ?? ""}</td>
              <Value port={one} name="watched" change={change} none="no" />
              <Value port={one} name="vlans" change={change} none="" />
              <Value port={one} name="on_breach" change={change} none="" />
              <td className="n">{one.roll_size > 0 && `${one.enrolled} of ${one.roll_size}`}</td>
              <td>
                <StatusText of={portState(one)} />
              </td>
            </tr>
          );
        })}
      </tbody>
    </Grid>
  );
}

/** A value with the level it comes from; what is marked stands out until it is applied. */
function Value({
  port,
  name,
  change,
  none,
}: {
  port: CalledPort;
  name: keyof Values;
  change: Partial<Values> | undefined;
  none: string;
}) {
  const source = port.sources[name];
  const text = source === undefined ? none : valueText(port[name]);
  if (change && name in change) {
    return (
      <chakra.td borderLeft="3px solid" borderLeftColor="kite" title="not applied yet">
        <chakra.s color="soft">{text}</chakra.s> <strong>{valueText(change[name])}</strong>
      </chakra.td>
    );
  }
  return (
    <td title={source && `set for ${source}`}>
      {text}
      {source && source !== levelText({ switch: port.switch, port: port.port }) && (
        <chakra.span color="soft" fontSize="12px">
          {" "}
          {source}
        </chakra.span>
      )}
    </td>
  );
}
