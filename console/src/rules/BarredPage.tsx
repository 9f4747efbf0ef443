// Addresses that must appear nowhere.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../api/client";
import { barredQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Field, Grid, Sheet } from "../shared/Grid";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { RowAction } from "../shared/RowActions";
import { fullTime } from "../shared/time";
import { addressText } from "./model";

export function BarredPage() {
  const client = useQueryClient();
  const barred = useQuery(barredQuery);
  const [prefix, setPrefix] = useState("");
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState("");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["rules"] }) };
  const add = useMutation({
    meta: { done: "It is barred." },
    mutationFn: () => {
      const expires_at = until ? `${until}T00:00:00Z` : null;
      return need(api.POST("/api/v1/barred", { body: { prefix, reason, expires_at } }));
    },
    onSuccess: () => {
      setPrefix("");
      setReason("");
      setUntil("");
    },
    ...settled,
  });
  const lift = useMutation({
    meta: { done: "The bar is lifted." },
    mutationFn: (which: string) =>
      need(api.DELETE("/api/v1/barred/{prefix}", { params: { path: { prefix: which } } })),
    ...settled,
  });
  const error = add.error ?? lift.error;
  return (
    <>
      <p>Wherever a switch learns one of these addresses, a serious finding opens at once.</p>
      <Flex gap="8px" align="center" wrap="wrap" margin="10px 0">
        <label htmlFor="bar">Address or prefix</label>
        <Field id="bar" value={prefix} onChange={(event) => setPrefix(event.target.value)} />
        <label htmlFor="reason">Reason</label>
        <Field
          id="reason"
          value={reason}
          maxLength={255}
          onChange={(event) => setReason(event.target.value)}
        />
        <label htmlFor="until">Until (UTC)</label>
        <Field id="until" type="date" value={until} onChange={(event) => setUntil(event.target.value)} />
        <Button
          size="sm"
          bg="tarn"
          color="onTarn"
          disabled={prefix.trim() === ""}
          onClick={() => add.mutate()}
        >
          Bar it
        </Button>
      </Flex>
      {error && <ErrorNotice error={error} />}
      <Sheet tabIndex={0} aria-label="barred">
        <QueryView query={barred} rows={3}>
          {(entries) =>
            entries.length === 0 ? (
              <Nothing>Nobody is barred.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Address or prefix</th>
                    <th>Reason</th>
                    <th>Ends</th>
                    <th>By</th>
                    <th>Since</th>
                    <th>Change</th>
                  </tr>
                </thead>
                <tbody>
                  {entries.map((one) => (
                    <tr key={one.prefix}>
                      <td className="mono">{addressText(one.prefix)}</td>
                      <td>{one.reason}</td>
                      <td title={one.expires_at ? fullTime(one.expires_at) : undefined}>
                        {one.expired ? "expired" : one.expires_at?.slice(0, 10)}
                      </td>
                      <td>{one.by}</td>
                      <td>
                        <Age at={one.at} ago />
                      </td>
                      <td className="n">
                        <RowAction
                          label={`Lift the bar of ${one.prefix}`}
                          onClick={() => lift.mutate(one.prefix)}
                        >
                          Lift
                        </RowAction>
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
