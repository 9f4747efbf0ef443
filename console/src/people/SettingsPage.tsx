// Thresholds, retention and the interval of readings: changed while the service runs.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { settingsQuery } from "../api/resources/settings";
import { useMay } from "../session/useSession";
import { Field, Grid, Sheet, Title } from "../shared/Grid";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { fullTime } from "../shared/time";

type Setting = Schemas["Setting"];

const SOURCES: Record<Setting["source"], string> = {
  default: "",
  here: "● set here",
  configuration: "◆ configuration",
};

export function SettingsPage() {
  const settings = useQuery(settingsQuery);
  return (
    <>
      <Title>Settings</Title>
      <p>
        A change holds at once. What file, environment or options of the service say wins, and is changed
        there. Spans of time are written like 90s, 15m, 2h or 30d.
      </p>
      <Sheet tabIndex={0} aria-label="settings">
        <QueryView query={settings} rows={12}>
          {(found) => (
            <Grid>
              <thead>
                <tr>
                  <th>Setting</th>
                  <th>Value</th>
                  <th>Default</th>
                  <th>From</th>
                  <th>Changed</th>
                </tr>
              </thead>
              <tbody>
                {found.map((one) => (
                  <Row key={`${one.name} ${one.value}`} of={one} />
                ))}
              </tbody>
            </Grid>
          )}
        </QueryView>
      </Sheet>
    </>
  );
}

function Row({ of: setting }: { of: Setting }) {
  const client = useQueryClient();
  const mayChange = useMay("administer") && setting.source !== "configuration";
  const [text, setText] = useState(String(setting.value));
  const path = { name: setting.name };
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["settings"] }) };
  const set = useMutation({
    meta: { done: `${setting.name} is set.` },
    mutationFn: () => {
      const value = Number.isNaN(Number(text)) || text.trim() === "" ? text.trim() : Number(text);
      return need(api.PUT("/api/v1/settings/{name}", { params: { path }, body: { value } }));
    },
    ...settled,
  });
  const reset = useMutation({
    meta: { done: `${setting.name} is as configured again.` },
    mutationFn: () => need(api.DELETE("/api/v1/settings/{name}", { params: { path } })),
    ...settled,
  });
  const error = set.error ?? reset.error;
  return (
    <tr>
      <td>
        <code>{setting.name}</code>
        {error && <ErrorNotice error={error} />}
      </td>
      <td>
        {mayChange ? (
          <chakra.form
            onSubmit={(event) => {
              event.preventDefault();
              set.mutate();
            }}
          >
            <Flex gap="6px">
              <Field
                aria-label={setting.name}
                width="110px"
                value={text}
                onChange={(event) => setText(event.target.value)}
              />
              {text !== String(setting.value) && (
                <Button type="submit" size="xs" variant="outline" loading={set.isPending}>
                  Save
                </Button>
              )}
            </Flex>
          </chakra.form>
        ) : (
          setting.value
        )}
      </td>
      <td className="soft">{setting.default}</td>
      <td className="tight">{SOURCES[setting.source]}</td>
      <td>
        {setting.set_at && `${setting.set_by}, ${fullTime(setting.set_at)} `}
        {mayChange && setting.source === "here" && (
          <Button
            size="xs"
            variant="outline"
            aria-label={`Reset ${setting.name}`}
            onClick={() => reset.mutate()}
          >
            Reset
          </Button>
        )}
      </td>
    </tr>
  );
}
