// Stays as rows: address, place where it is not obvious, and since when.
import type { Stay } from "../api/client";
import { Age } from "./Age";
import { Grid } from "./Grid";
import { TimeLink } from "./instant";
import { endpointPath, portPath } from "./links";
import { StatusText } from "./StatusText";

export function StayTable({ stays, placed = false }: { stays: Stay[]; placed?: boolean }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>Address</th>
          {placed ? (
            <>
              <th>Port</th>
              <th>Label</th>
            </>
          ) : (
            <th>VLAN</th>
          )}
          <th>Life</th>
          <th>Began</th>
          <th>Last seen</th>
          {!placed && <th>Why it ended</th>}
        </tr>
      </thead>
      <tbody>
        {stays.map((stay) => (
          <tr key={`${stay.mac} ${stay.switch} ${stay.port} ${stay.vlan} ${stay.began_at}`}>
            <td className="mono">
              <TimeLink to={endpointPath(stay.mac)}>{stay.mac}</TimeLink>
            </td>
            {placed ? (
              <>
                <td>
                  <TimeLink to={portPath(stay.switch, stay.port)}>
                    {stay.switch} · {stay.port}
                  </TimeLink>
                </td>
                <td>{stay.port_alias}</td>
              </>
            ) : (
              <td>{stay.vlan}</td>
            )}
            <td>
              <StatusText of={stay.life} />
            </td>
            <td className="tight">
              <Age at={stay.began_at} ago />
            </td>
            <td className="tight">
              <Age at={stay.seen_at} ago />
            </td>
            {!placed && <td className="soft">{stay.ending}</td>}
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}
