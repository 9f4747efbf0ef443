// VLANs across switches, and one of them: where it lives and who is in it.
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { vlanPortsQuery, vlansQuery } from "../api/resources/network";
import { inVlanQuery } from "../api/resources/stays";
import { Exports } from "../shared/Exports";
import { Grid, Heading, More, Sheet, Title } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { mapOf, portPath, vlanPath } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { StayTable } from "../shared/StayTable";

export function VlansPage() {
  const vlans = useQuery(vlansQuery);
  return (
    <>
      <Title>VLANs</Title>
      <Sheet tabIndex={0} aria-label="VLANs">
        <QueryView query={vlans} rows={6}>
          {(rows) =>
            rows.length === 0 ? (
              <Nothing>No VLANs have been read yet.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th className="n">VLAN</th>
                    <th>Name</th>
                    <th className="n">Switches that have it</th>
                    <th className="n">Addresses present</th>
                  </tr>
                </thead>
                <tbody>
                  {rows.map((one) => (
                    <tr key={one.id}>
                      <td className="n">
                        <Link to={vlanPath(one.id)}>{one.id}</Link>
                      </td>
                      <td>
                        {one.names.join(" / ")}
                        {one.names.length > 1 && <span className="soft"> (switches do not agree)</span>}
                      </td>
                      <td className="n">{one.switches}</td>
                      <td className="n">{one.present}</td>
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

export function VlanPage() {
  const id = Number(useParams().id);
  const at = useAt();
  const vlans = useQuery(vlansQuery);
  const name = vlans.data?.find((one) => one.id === id)?.names.join(" / ") ?? "";
  return (
    <>
      <Title>
        VLAN {id} {name} <More to={mapOf("vlan", id)}>on the map</More>
      </Title>
      <InIt id={id} at={at} />
      {at === undefined && <Carriers id={id} />}
    </>
  );
}

function InIt({ id, at }: { id: number; at: string | undefined }) {
  const stays = useQuery(inVlanQuery(id, at));
  return (
    <>
      <Heading>
        Who {at ? "was" : "is"} in it, on ports that {at ? "led" : "lead"} to no switch{" "}
        <Exports list="stays" filters={{ vlan: String(id), ...(at ? { at } : {}) }} />
      </Heading>
      <Sheet tabIndex={0} aria-label="addresses in the VLAN">
        <QueryView query={stays} rows={8}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>No addresses.</Nothing>
            ) : (
              <StayTable stays={page.items} placed />
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

function Carriers({ id }: { id: number }) {
  const ports = useQuery(vlanPortsQuery(id));
  return (
    <>
      <Heading>Ports that carry it</Heading>
      <Sheet tabIndex={0} aria-label="ports that carry the VLAN">
        <QueryView query={ports} rows={6}>
          {(rows) =>
            rows.length === 0 ? (
              <Nothing>No switch reports which of its ports carry it.</Nothing>
            ) : (
              <Grid>
                <tbody>
                  {rows.map((one) => (
                    <tr key={`${one.switch} ${one.port}`}>
                      <td>
                        <Link to={portPath(one.switch, one.port)}>
                          {one.switch} · {one.port}
                        </Link>
                      </td>
                      <td>{one.alias}</td>
                      <td>{one.tagged ? "tagged" : "untagged"}</td>
                      <td>
                        <StatusText of={one.oper} />
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
