// Planned work: while it lasts, findings there are recorded, and no alerts are sent.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { plannedWorkQuery } from "../api/resources/alerts";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Grid, Sheet, Title } from "../shared/Grid";
import { Labelled, OneOf } from "../shared/Labelled";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { RowAction } from "../shared/RowActions";
import { fullTime, instantOfInput } from "../shared/time";

export function PlannedWorkPage() {
  const client = useQueryClient();
  const works = useQuery(plannedWorkQuery);
  const operates = useMay("operate");
  const end = useMutation({
    meta: { done: "The planned work is ended." },
    mutationFn: (number: number) =>
      drop(api.DELETE("/api/v1/planned-work/{number}", { params: { path: { number } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["alerts"] }),
  });
  return (
    <>
      <Title>Planned work</Title>
      <p>
        While work lasts, findings there are recorded and shown, but no alerts are sent. Alerts of what is
        still open are sent when it ends.
      </p>
      {operates && <NewWork />}
      {end.error && <ErrorNotice error={end.error} />}
      <Sheet tabIndex={0} aria-label="planned work">
        <QueryView query={works} rows={2}>
          {(found) =>
            found.length === 0 ? (
              <Nothing>No work is planned.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>State</th>
                    <th>From</th>
                    <th>Until</th>
                    <th>Where</th>
                    <th>Kind</th>
                    <th>What</th>
                    <th>By</th>
                    {operates && <th>Change</th>}
                  </tr>
                </thead>
                <tbody>
                  {found.map((one) => (
                    <tr key={one.id}>
                      <td className="tight">{STATES[one.state]}</td>
                      <td className="tight">{fullTime(one.begins_at)}</td>
                      <td className="tight">{fullTime(one.ends_at)}</td>
                      <td>{one.switch || one.site || "everywhere"}</td>
                      <td>{one.kind || "all"}</td>
                      <td>{one.reason}</td>
                      <td>{one.planned_by}</td>
                      {operates && (
                        <td className="n">
                          <RowAction label={`End work ${one.id}`} onClick={() => end.mutate(one.id)}>
                            {one.state === "coming" ? "Give up" : "End now"}
                          </RowAction>
                        </td>
                      )}
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

const STATES: Record<Schemas["PlannedWork"]["state"], string> = {
  coming: "◌ coming",
  running: "● running",
  over: "○ over",
};
const HOURS = ["1", "2", "4", "8", "24"];

function NewWork() {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const [site, setSite] = useState("");
  const [on, setOn] = useState("");
  const [begins, setBegins] = useState("");
  const [hours, setHours] = useState("2");
  const plan = useMutation({
    meta: { done: "The work is planned." },
    mutationFn: () => {
      const from = new Date(instantOfInput(begins) || Date.now());
      const body: Schemas["NewPlannedWork"] = {
        begins_at: begins ? from.toISOString() : null,
        ends_at: new Date(from.getTime() + Number(hours) * 3_600_000).toISOString(),
        site: site.trim(),
        switch: on.trim() || null,
        reason: reason.trim(),
      };
      return need(api.POST("/api/v1/planned-work", { body }));
    },
    onSuccess: () => setReason(""),
    onSettled: () => client.invalidateQueries({ queryKey: ["alerts"] }),
  });
  return (
    <chakra.form
      margin="0 0 12px"
      aria-label="new planned work"
      onSubmit={(event) => {
        event.preventDefault();
        plan.mutate();
      }}
    >
      <Flex gap="10px" wrap="wrap" align="flex-end">
        <Labelled label="What is done" width="240px" maxLength={255} value={reason} onChange={setReason} />
        <Labelled label="Site" placeholder="every site" value={site} onChange={setSite} />
        <Labelled label="Switch" placeholder="every switch" value={on} onChange={setOn} />
        <Labelled label="From (empty: now)" type="datetime-local" value={begins} onChange={setBegins} />
        <OneOf label="For hours" of={HOURS} value={hours} onChange={setHours} />
        <Button type="submit" size="sm" variant="outline" disabled={!reason.trim()} loading={plan.isPending}>
          Plan it
        </Button>
      </Flex>
      {plan.error && <ErrorNotice error={plan.error} />}
    </chakra.form>
  );
}
