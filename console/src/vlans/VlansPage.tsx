// VLANs across switches, and one of them: where it lives and who is in it.
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { inVlanQuery, vlanPortsQuery, vlansQuery } from "../api/queries";
import { Age } from "../shared/Age";
import { Answered, Nothing } from "../shared/Answered";
import { Exports } from "../shared/Exports";
import { Grid, Heading, Sheet, Title } from "../shared/Grid";
import { endpointPath, portPath, vlanPath } from "../shared/links";
import { State } from "../shared/State";

export function VlansPage() {
  const vlans = useQuery(vlansQuery);
  return (
    <>
      <Title>VLANs</Title>
      <Sheet tabIndex={0} aria-label="VLANs">
        <Answered query={vlans} rows={6}>
          {(rows) =>
            rows.length === 0 ? (
              <Nothing>No switch has told of a VLAN.</Nothing>
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
        </Answered>
      </Sheet>
    </>
  );
}

export function VlanPage() {
  const id = Number(useParams().id);
  const ports = useQuery(vlanPortsQuery(id));
  const stays = useQuery(inVlanQuery(id));
  const vlans = useQuery(vlansQuery);
  const name = vlans.data?.find((one) => one.id === id)?.names.join(" / ") ?? "";
  return (
    <>
      <Title>
        VLAN {id} {name}
      </Title>
      <Heading>
        Who is in it, on ports that lead to no switch <Exports list="stays" filters={{ vlan: String(id) }} />
      </Heading>
      <Sheet tabIndex={0} aria-label="addresses in the VLAN">
        <Answered query={stays} rows={8}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>Nobody.</Nothing>
            ) : (
              <Grid>
                <tbody>
                  {page.items.map((stay) => (
                    <tr key={`${stay.mac} ${stay.switch} ${stay.port}`}>
                      <td className="mono">
                        <Link to={endpointPath(stay.mac)}>{stay.mac}</Link>
                      </td>
                      <td>
                        <Link to={portPath(stay.switch, stay.port)}>
                          {stay.switch} · {stay.port}
                        </Link>
                      </td>
                      <td>{stay.port_alias}</td>
                      <td>
                        <State of={stay.life} />
                      </td>
                      <td className="tight">
                        since <Age at={stay.began_at} ago />
                      </td>
                      <td className="tight">
                        seen <Age at={stay.seen_at} ago />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </Answered>
      </Sheet>
      <Heading>Ports that carry it</Heading>
      <Sheet tabIndex={0} aria-label="ports that carry the VLAN">
        <Answered query={ports} rows={6}>
          {(rows) =>
            rows.length === 0 ? (
              <Nothing>No switch tells which of its ports carry it.</Nothing>
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
                        <State of={one.oper} />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </Answered>
      </Sheet>
    </>
  );
}
