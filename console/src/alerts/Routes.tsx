// Routes: which findings are sent to whom.
import { Button } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { routesQuery } from "../api/resources/alerts";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Grid, Sheet } from "../shared/Grid";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { RowAction, RowActions } from "../shared/RowActions";
import { hoursText, type Route, spanText, takesText } from "./model";
import { RouteForm } from "./RouteForm";

export function Routes() {
  const client = useQueryClient();
  const administers = useMay("administer");
  const routes = useQuery(routesQuery);
  const [edited, setEdited] = useState<Route | "new" | null>(null);
  const remove = useMutation({
    meta: { done: "The route is removed." },
    mutationFn: (name: string) =>
      drop(api.DELETE("/api/v1/alert-routes/{name}", { params: { path: { name } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["alerts"] }),
  });
  return (
    <>
      {remove.error && <ErrorNotice error={remove.error} />}
      <Sheet tabIndex={0} aria-label="alert routes">
        <QueryView query={routes} rows={2}>
          {(found) =>
            found.length === 0 ? (
              <Nothing>No routes: no alerts are sent.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Name</th>
                    <th>Takes</th>
                    <th>Sends to</th>
                    <th>Hours</th>
                    <th>Again</th>
                    <th>Over</th>
                    <th>State</th>
                    {administers && <th>Change</th>}
                  </tr>
                </thead>
                <tbody>
                  {found.map((one) => (
                    <tr key={one.name}>
                      <td>
                        <strong>{one.name}</strong>
                      </td>
                      <td>{takesText(one)}</td>
                      <td>{one.target}</td>
                      <td>{hoursText(one.hours)}</td>
                      <td>{againText(one)}</td>
                      <td>{one.send_cleared ? "sent" : "not sent"}</td>
                      <td className="tight">{one.enabled ? "● on" : "○ off"}</td>
                      {administers && (
                        <RowActions>
                          <RowAction label={`Change ${one.name}`} onClick={() => setEdited(one)}>
                            Change
                          </RowAction>
                          <RowAction label={`Remove ${one.name}`} onClick={() => remove.mutate(one.name)}>
                            Remove
                          </RowAction>
                        </RowActions>
                      )}
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </QueryView>
      </Sheet>
      {administers &&
        (edited === null ? (
          <Button size="sm" variant="outline" margin="10px 0" onClick={() => setEdited("new")}>
            New route
          </Button>
        ) : (
          <RouteForm
            key={edited === "new" ? "" : edited.name}
            of={edited === "new" ? null : edited}
            onDone={() => setEdited(null)}
          />
        ))}
    </>
  );
}

function againText(one: Route): string {
  const parts: string[] = [];
  if (one.remind_after_s != null) parts.push(`every ${spanText(one.remind_after_s)}`);
  if (one.escalate_to) parts.push(`${one.escalate_to} after ${spanText(one.escalate_after_s)}`);
  return parts.join("; ") || "no";
}
