// The ports of a switch as rows, with who is on each.
import { chakra } from "@chakra-ui/react";
import { Fragment } from "react";
import type { Port, Stay } from "../api/client";
import { leads } from "../find/EndpointTable";
import { vlanText } from "../find/model";
import { Age } from "../shared/Age";
import { Grid } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath, portPath, switchPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import { useDisclosureSet } from "../shared/useDisclosureSet";
import { speedText, vlanRanges } from "./model";

/** A port with more addresses shows the first ones until the rest is asked for. */
const MOST_AT_ONCE = 5;
const FIRST = 3;

export function PortTable({ ports, stays }: { ports: Port[]; stays: Map<string, Stay[]> }) {
  const [whole, toggle] = useDisclosureSet();
  return (
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
        {ports.map((port) => {
          const all = stays.get(port.name) ?? [];
          const there = whole.has(port.name) || all.length <= MOST_AT_ONCE ? all : all.slice(0, FIRST);
          const cut = there.length < all.length;
          const lines = Math.max(1, there.length) + Number(cut);
          return (
            <Fragment key={port.name}>
              {Array.from({ length: lines }, (_, line) => {
                const stay = there[line];
                return (
                  <tr key={stay ? `${stay.mac} ${stay.vlan}` : "none"}>
                    {line === 0 && (
                      <>
                        <td rowSpan={lines}>
                          <TimeLink to={portPath(port.switch, port.name)}>{port.name}</TimeLink>
                        </td>
                        <td rowSpan={lines}>
                          <StatusText
                            of={port.oper}
                            {...(port.admin_up ? {} : { title: "switched off by its operator" })}
                          />
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
                    )}
                    {stay ? (
                      <Who stay={stay} />
                    ) : (
                      <td colSpan={5}>
                        {cut ? (
                          <chakra.button
                            type="button"
                            color="tarn"
                            fontWeight={600}
                            onClick={() => toggle(port.name)}
                          >
                            and {all.length - there.length} more
                          </chakra.button>
                        ) : (
                          <NoAddress port={port} />
                        )}
                      </td>
                    )}
                  </tr>
                );
              })}
            </Fragment>
          );
        })}
      </tbody>
    </Grid>
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
        <Age at={stay.seen_at} ago />
      </td>
    </>
  );
}

function NoAddress({ port }: { port: Port }) {
  if (port.use === "uplink") {
    return (
      <span>
        leads to{" "}
        {port.leads_to.length === 1 ? (
          <TimeLink to={switchPath(port.leads_to[0] ?? "")}>{port.leads_to[0]}</TimeLink>
        ) : (
          <span title={port.leads_to.join(", ")}>{leads(port.leads_to)}</span>
        )}
        <span className="soft">; {port.present} addresses learned through it</span>
      </span>
    );
  }
  return <span className="soft">{port.use === "silent" ? "up, no address learned" : ""}</span>;
}
