// Changes, latest first.
import type { Change } from "../api/client";
import { Age } from "../shared/Age";
import { Grid } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath, portPath, switchPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import { clockTime } from "../shared/time";

export function ChangeTable({ changes }: { changes: Change[] }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>When</th>
          <th>Change</th>
          <th>Address</th>
          <th>Where</th>
          <th>VLAN</th>
          <th>Why</th>
        </tr>
      </thead>
      <tbody>
        {changes.map((one) => (
          <tr key={one.id}>
            <td className="tight">
              {clockTime(one.at)}{" "}
              <span className="soft">
                (<Age at={one.at} ago />)
              </span>
            </td>
            <td>
              <StatusText of={one.kind} />
            </td>
            <td className="mono">{one.mac && <TimeLink to={endpointPath(one.mac)}>{one.mac}</TimeLink>}</td>
            <td className="tight">
              <TimeLink to={one.port ? portPath(one.switch, one.port) : switchPath(one.switch)}>
                {one.switch}
                {one.port && ` · ${one.from_port ? `${one.from_port} → ` : ""}${one.port}`}
              </TimeLink>
            </td>
            <td>{one.vlan ?? ""}</td>
            <td className="soft">{one.ending}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}
