// Who changed what of the rules, when and why.
import { useQuery } from "@tanstack/react-query";
import { ruleLogQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Grid, Sheet } from "../shared/Grid";
import { Nothing, QueryView } from "../shared/QueryView";
import { valueText } from "./model";

export function LogPage() {
  const log = useQuery(ruleLogQuery);
  return (
    <Sheet tabIndex={0} aria-label="log of rules">
      <QueryView query={log} rows={8}>
        {(page) =>
          page.items.length === 0 ? (
            <Nothing>No rule was ever changed.</Nothing>
          ) : (
            <Grid>
              <thead>
                <tr>
                  <th>When</th>
                  <th>Who</th>
                  <th>Level</th>
                  <th>What</th>
                  <th>Before</th>
                  <th>After</th>
                  <th>Via</th>
                  <th>Why</th>
                </tr>
              </thead>
              <tbody>
                {page.items.map((one) => (
                  <tr key={`${one.at} ${one.level} ${one.what} ${one.address}`}>
                    <td className="tight">
                      <Age at={one.at} ago />
                    </td>
                    <td>{one.by}</td>
                    <td>{one.level}</td>
                    <td>
                      {one.what} {one.address && <span className="mono">{one.address}</span>}
                    </td>
                    <td className="soft">{said(one.before)}</td>
                    <td>{said(one.after)}</td>
                    <td>{one.via}</td>
                    <td>{one.reason}</td>
                  </tr>
                ))}
              </tbody>
            </Grid>
          )
        }
      </QueryView>
    </Sheet>
  );
}

function said(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "object" && !Array.isArray(value))
    return Object.values(value)
      .filter((one) => one !== null && one !== "")
      .join(", ");
  return valueText(value);
}
