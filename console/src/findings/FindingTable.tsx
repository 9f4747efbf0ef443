// Findings as rows: severity, title, likely cause, and whether it is over.
import { Link } from "react-router";
import type { Finding } from "../api/client";
import { Age } from "../shared/Age";
import { Grid } from "../shared/Grid";
import { findingPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";

export function FindingTable({
  findings,
  stateShown = false,
}: {
  findings: Finding[];
  stateShown?: boolean;
}) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>Severity</th>
          {stateShown && <th>State</th>}
          <th>What</th>
          <th className="wide">Likely cause</th>
          <th className="n wide">Evidence</th>
          <th>Since</th>
          <th>Quiet for</th>
        </tr>
      </thead>
      <tbody>
        {findings.map((one) => (
          <tr key={one.id}>
            <td className="tight">
              <StatusText of={one.severity} />
            </td>
            {stateShown && (
              <td className="tight">
                <StatusText of={one.state} />
              </td>
            )}
            <td>
              <Link to={findingPath(one.id)}>{one.title}</Link>
              {one.parts > 0 && <span className="soft"> (explains {one.parts} more)</span>}
            </td>
            <td className="wide">{one.cause}</td>
            <td className="n wide">{one.count}</td>
            <td className="tight">
              <Age at={one.opened_at} />
            </td>
            <td className="tight">
              <Age at={one.last_at} />
            </td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}
