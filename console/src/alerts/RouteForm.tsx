// Adds a route, or changes one.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { targetsQuery } from "../api/resources/alerts";
import { Labelled, OneOf, Tick } from "../shared/Labelled";
import { ErrorNotice } from "../shared/QueryView";
import { DAYS, names, type Route } from "./model";

type Given = Schemas["AlertRouteSettings"];
type Severity = NonNullable<Given["severity"]>;
const SEVERITIES: readonly Severity[] = ["note", "warning", "serious"];
const ALL_DAYS = DAYS.map((_, number) => number);

export function RouteForm({ of, onDone }: { of: Route | null; onDone: () => void }) {
  const client = useQueryClient();
  const known = useQuery(targetsQuery).data?.map((one) => one.name) ?? [];
  const [name, setName] = useState(of?.name ?? "");
  const [target, setTarget] = useState(of?.target ?? "");
  const [severity, setSeverity] = useState<Severity>(of?.severity ?? "warning");
  const [kinds, setKinds] = useState(of?.kinds.join(", ") ?? "");
  const [sites, setSites] = useState(of?.sites.join(", ") ?? "");
  const [groups, setGroups] = useState(of?.groups.join(", ") ?? "");
  const [days, setDays] = useState<readonly number[]>(of?.hours.days ?? ALL_DAYS);
  const [since, setSince] = useState(of?.hours.since ?? "00:00");
  const [until, setUntil] = useState(of?.hours.until ?? "00:00");
  const [remind, setRemind] = useState(minutes(of?.remind_after_s));
  const [escalate, setEscalate] = useState(minutes(of?.escalate_after_s));
  const [escalateTo, setEscalateTo] = useState(of?.escalate_to ?? "");
  const [sendCleared, setSendCleared] = useState(of?.send_cleared ?? true);
  const [enabled, setEnabled] = useState(of?.enabled ?? true);
  const zone =
    of && of.hours.zone !== "UTC" ? of.hours.zone : Intl.DateTimeFormat().resolvedOptions().timeZone;
  const chosen = target || known[0] || "";
  const set = useMutation({
    meta: { done: "The route is saved." },
    mutationFn: () => {
      const body: Given = {
        target: chosen,
        severity,
        kinds: names(kinds) as NonNullable<Given["kinds"]>,
        sites: names(sites),
        groups: names(groups),
        hours: { days: [...days].sort(), since, until, zone: zone || "UTC" },
        remind_after_s: seconds(remind),
        escalate_after_s: escalateTo ? seconds(escalate) : null,
        escalate_to: escalateTo || null,
        send_cleared: sendCleared,
        enabled,
      };
      return need(api.PUT("/api/v1/alert-routes/{name}", { params: { path: { name: name.trim() } }, body }));
    },
    onSuccess: onDone,
    onSettled: () => client.invalidateQueries({ queryKey: ["alerts"] }),
  });
  return (
    <chakra.form
      margin="10px 0"
      aria-label={of ? `change ${of.name}` : "new route"}
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate();
      }}
    >
      <Flex gap="10px" wrap="wrap" align="flex-end">
        {!of && <Labelled label="Name" value={name} onChange={setName} />}
        <OneOf label="Sends to" of={known} value={chosen} onChange={setTarget} />
        <OneOf label="From severity" of={SEVERITIES} value={severity} onChange={setSeverity} />
        <Labelled label="Kinds" placeholder="all" value={kinds} onChange={setKinds} />
        <Labelled label="Sites" placeholder="all" value={sites} onChange={setSites} />
        <Labelled label="Groups" placeholder="all" value={groups} onChange={setGroups} />
      </Flex>
      <Flex gap="10px" wrap="wrap" align="flex-end" margin="8px 0">
        <Flex as="fieldset" gap="8px" border="0" aria-label="days">
          {DAYS.map((day, number) => (
            <Tick
              key={day}
              label={day}
              checked={days.includes(number)}
              onChange={(on) => setDays(on ? [...days, number] : days.filter((one) => one !== number))}
            />
          ))}
        </Flex>
        <Labelled label="From" type="time" value={since} onChange={setSince} />
        <Labelled label={`Until (${zone})`} type="time" value={until} onChange={setUntil} />
        <Labelled
          label="Again after minutes"
          type="number"
          min={1}
          width="120px"
          placeholder="never"
          value={remind}
          onChange={setRemind}
        />
        <OneOf
          label="Tell also"
          of={known}
          value={escalateTo}
          onChange={setEscalateTo}
          more={<option value="">nobody</option>}
        />
        {escalateTo && (
          <Labelled
            label="after minutes"
            type="number"
            min={1}
            required
            width="120px"
            value={escalate}
            onChange={setEscalate}
          />
        )}
      </Flex>
      <Flex gap="14px" align="center">
        <Tick label="send again when it is over" checked={sendCleared} onChange={setSendCleared} />
        <Tick label="on" checked={enabled} onChange={setEnabled} />
        <Button
          type="submit"
          size="sm"
          variant="outline"
          disabled={!name.trim() || !chosen}
          loading={set.isPending}
        >
          {of ? `Save ${of.name}` : "Add it"}
        </Button>
        <Button type="button" size="sm" variant="plain" onClick={onDone}>
          Leave it
        </Button>
      </Flex>
      {known.length === 0 && <p>Add a target first: alerts need somewhere to go.</p>}
      {set.error && <ErrorNotice error={set.error} />}
    </chakra.form>
  );
}

function minutes(given: number | null | undefined): string {
  return given == null ? "" : String(Math.round(given / 60));
}

function seconds(text: string): number | null {
  return text === "" ? null : Math.round(Number(text) * 60);
}
