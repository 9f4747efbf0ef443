// Findings as rows: severity, title, likely cause, and whether it is over.
import type { Finding } from "../api/client";
import { Age } from "../shared/Age";
import { Grid } from "../shared/Grid";
import { StatusText } from "../shared/StatusText";
import { FindingTitle } from "./FindingTitle";

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
              <FindingTitle one={one} />
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
