// The ports of a switch as rows, with who is on each.
import { chakra } from "@chakra-ui/react";
import { createContext, memo, useContext, useMemo } from "react";
import type { Port, Stay } from "../api/client";
import { leads } from "../find/EndpointTable";
import { vlanText } from "../find/model";
import { Age } from "../shared/Age";
import { Grid } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath, portPath, switchPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import { useDisclosureSet } from "../shared/useDisclosureSet";
import { useReveal } from "../shared/useReveal";
import { sameButSeen, speedText, vlanRanges } from "./model";

/** A port with more addresses shows the first ones until the rest is asked for. */
const MOST_AT_ONCE = 5;
const FIRST = 3;
/** Ports drawn at first, and further ones as one scrolls. */
const AT_ONCE = 12;

/** When each stay was seen last, by `stayKey`. It alone differs with every reading: its cells alone follow it. */
const Seen = createContext<Map<string, string>>(new Map());
const NOBODY: Stay[] = [];
const stayKey = (stay: Stay) => `${stay.mac} ${stay.vlan} ${stay.port}`;

export function PortTable({ ports, stays }: { ports: Port[]; stays: Map<string, Stay[]> }) {
  const [whole, toggle] = useDisclosureSet();
  const [drawn, end] = useReveal(ports.length, AT_ONCE);
  const seen = useMemo(() => {
    const all = [...stays.values()].flat();
    return new Map(all.map((stay) => [stayKey(stay), stay.seen_at]));
  }, [stays]);
  return (
    <Seen value={seen}>
      <Grid>
        <thead>
          <tr>
            <th>Port</th>
            <th>State</th>
            <th>Speed</th>
            <th>VLANs</th>
            <th>Label</th>
            <th>Address</th>
            <th>VLAN</th>
            <th>Life</th>
            <th>Since</th>
            <th>Last seen</th>
          </tr>
        </thead>
        <tbody>
          {ports.slice(0, drawn).map((port) => (
            <PortRows
              key={port.name}
              port={port}
              stays={stays.get(port.name) ?? NOBODY}
              whole={whole.has(port.name)}
              toggle={toggle}
            />
          ))}
          {drawn < ports.length && (
            <tr ref={end}>
              <td colSpan={10} className="soft">
                {ports.length - drawn} more ports as you scroll
              </td>
            </tr>
          )}
        </tbody>
      </Grid>
    </Seen>
  );
}

interface RowsOfPort {
  port: Port;
  stays: Stay[];
  whole: boolean;
  toggle: (name: string) => void;
}

/** Drawn again only when something but the time of the last reading differs. */
const PortRows = memo(
  function PortRows({ port, stays, whole, toggle }: RowsOfPort) {
    const there = whole || stays.length <= MOST_AT_ONCE ? stays : stays.slice(0, FIRST);
    const cut = stays.length - there.length;
    const lines = Math.max(1, there.length) + Number(cut > 0);
    return Array.from({ length: lines }, (_, line) => {
      const stay = there[line];
      return (
        <tr key={stay ? `${stay.mac} ${stay.vlan}` : "none"}>
          {line === 0 && <PortCells port={port} lines={lines} />}
          {stay ? (
            <Who stay={stay} />
          ) : (
            <td colSpan={5}>
              {cut > 0 ? (
                <chakra.button type="button" color="tarn" fontWeight={600} onClick={() => toggle(port.name)}>
                  and {cut} more
                </chakra.button>
              ) : (
                <NoAddress port={port} />
              )}
            </td>
          )}
        </tr>
      );
    });
  },
  (before, now) =>
    before.port === now.port &&
    before.whole === now.whole &&
    before.toggle === now.toggle &&
    sameButSeen(before.stays, now.stays),
);

function PortCells({ port, lines }: { port: Port; lines: number }) {
  return (
    <>
      <td rowSpan={lines}>
        <TimeLink to={portPath(port.switch, port.name)}>{port.name}</TimeLink>
      </td>
      <td rowSpan={lines}>
        <StatusText of={port.oper} {...(port.admin_up ? {} : { title: "switched off by its operator" })} />
        {!port.admin_up && <span className="soft"> (off)</span>}
      </td>
      <td rowSpan={lines} className="tight" title={port.duplex && `${port.duplex} duplex`}>
        {port.oper === "up" && speedText(port.speed_bps)}
      </td>
      <td rowSpan={lines}>
        <PortVlans port={port} />
      </td>
      <td rowSpan={lines}>
        {port.alias}
        {port.aggregate && (
          <span className="soft" title={port.partner && `far end: ${port.partner}`}>
            {" "}
            in {port.aggregate}
          </span>
        )}
      </td>
    </>
  );
}

function PortVlans({ port }: { port: Port }) {
  return (
    <>
      {vlanRanges(port.untagged)}
      {port.tagged.length > 0 && (
        <span className="soft">
          {port.untagged.length > 0 && " + "}tagged {vlanRanges(port.tagged)}
        </span>
      )}
    </>
  );
}

function Who({ stay }: { stay: Stay }) {
  return (
    <>
      <td className="mono">
        <TimeLink to={endpointPath(stay.mac)}>{stay.mac}</TimeLink>
      </td>
      <td className="tight">{vlanText(stay.vlan, stay.vlan_name)}</td>
      <td>
        <StatusText of={stay.life} />
      </td>
      <td className="tight">
        <Age at={stay.began_at} />
      </td>
      <td className="tight">
        <LastSeen stay={stay} />
      </td>
    </>
  );
}

function LastSeen({ stay }: { stay: Stay }) {
  return <Age at={useContext(Seen).get(stayKey(stay)) ?? stay.seen_at} ago />;
}

/** As many as are named, and how many are not. */
function behind(port: Port): string {
  const more = port.leads_to_count - port.leads_to.length;
  return [...port.leads_to, ...(more > 0 ? [`${more.toLocaleString()} more`] : [])].join(", ");
}

function NoAddress({ port }: { port: Port }) {
  if (port.use === "uplink") {
    return (
      <span>
        {port.leads_to_count === 0 ? "uplink" : "leads to "}
        {port.leads_to_count === 1 && (
          <TimeLink to={switchPath(port.leads_to[0] ?? "")}>{port.leads_to[0]}</TimeLink>
        )}
        {port.leads_to_count > 1 && <span title={behind(port)}>{leads(port)}</span>}
        <span className="soft">; {port.present} addresses learned through it</span>
      </span>
    );
  }
  return <span className="soft">{port.use === "silent" ? "up, no address learned" : ""}</span>;
}
