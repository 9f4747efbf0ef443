// Devices that announce themselves at the ports of a switch (LLDP).
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { Age } from "../shared/Age";
import { Grid } from "../shared/Grid";
import { switchPath } from "../shared/links";

export function NeighbourTable({ neighbours }: { neighbours: Schemas["Neighbour"][] }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>Port</th>
          <th>Neighbour</th>
          <th>Its port</th>
          <th>Address</th>
          <th>Chassis</th>
          <th>Is</th>
          <th>Matches</th>
        </tr>
      </thead>
      <tbody>
        {neighbours.map((one) => (
          <tr key={`${one.port} ${one.chassis} ${one.far_port}`}>
            <td>{one.port}</td>
            <td>
              {one.known_as ? (
                <Link to={switchPath(one.known_as)}>{one.known_as}</Link>
              ) : (
                <>
                  {one.name || one.chassis} <span className="soft">(not in the inventory)</span>
                </>
              )}
            </td>
            <td>{one.far_port}</td>
            <td className="mono">{one.addresses.join(", ")}</td>
            <td className="mono">{one.chassis}</td>
            <td>{one.capabilities.join(", ")}</td>
            <td className="tight">
              <Age at={one.seen_at} ago />
            </td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}
