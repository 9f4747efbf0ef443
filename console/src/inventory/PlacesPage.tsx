// Sites with their limits and areas, and groups with their hold times.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { groupsQuery, sitesQuery } from "../api/resources/inventory";
import { useMay } from "../session/useSession";
import { Field, Heading, Title } from "../shared/Grid";
import { Tick } from "../shared/Labelled";
import { switchesOfSitePath } from "../shared/links";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { Areas } from "./Areas";

type Site = Schemas["Site"];
type Group = Schemas["Group"];

export function PlacesPage() {
  return (
    <>
      <Title>Sites and groups</Title>
      <p>A switch says which site and groups it is of; they come and go with it.</p>
      <Sites />
      <Areas />
      <Groups />
    </>
  );
}

function Sites() {
  const found = useQuery(sitesQuery);
  const mayChange = useMay("administer");
  const columns: Column<Site>[] = [
    {
      id: "name",
      header: "Site",
      cell: (one) => <Link to={switchesOfSitePath(one.name)}>{one.name || "(none)"}</Link>,
      text: (one) => one.name,
    },
    {
      id: "switches",
      header: "Switches",
      number: true,
      cell: (one) => one.switches,
      text: (one) => one.switches,
    },
    {
      id: "concurrency",
      header: "Read at once, at most",
      cell: (one) => (
        <NumberOrUsual
          key={one.concurrency}
          label={`switches of ${one.name} read at once`}
          was={one.concurrency}
          unit="switches"
          mayChange={mayChange && one.name !== ""}
          save={(concurrency) => changeSite({ ...one, concurrency })}
        />
      ),
      text: (one) => one.concurrency ?? "",
    },
    {
      id: "area",
      header: "Area",
      cell: (one) => (
        <ChangedHere
          key={one.area}
          label={`area of ${one.name}`}
          was={one.area}
          shown={one.area}
          placeholder="none"
          mayChange={mayChange && one.name !== ""}
          save={(area) => changeSite({ ...one, area })}
        />
      ),
      text: (one) => one.area,
    },
  ];
  return (
    <>
      <Heading>Sites</Heading>
      <p>
        Sites of one area share layer 2. The same address in two areas is two devices; sites that name no area
        are one.
      </p>
      <QueryView query={found} rows={4}>
        {(rows) => (
          <DataTable
            name="sites"
            caption="sites"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.name}
            empty="No switch has a site."
          />
        )}
      </QueryView>
    </>
  );
}

function Groups() {
  const found = useQuery(groupsQuery);
  const mayChange = useMay("administer");
  const columns: Column<Group>[] = [
    {
      id: "name",
      header: "Group",
      cell: (one) => <Link to={`/switches?narrow=${encodeURIComponent(one.name)}`}>{one.name}</Link>,
      text: (one) => one.name,
    },
    {
      id: "switches",
      header: "Switches",
      number: true,
      cell: (one) => one.switches,
      text: (one) => one.switches,
    },
    {
      id: "hold_time_s",
      header: "Quiet addresses are held for",
      cell: (one) => (
        <NumberOrUsual
          key={one.hold_time_s}
          label={`hold time of ${one.name} in seconds`}
          was={one.hold_time_s}
          unit="s"
          mayChange={mayChange}
          save={(hold_time_s) => changeGroup({ ...one, hold_time_s })}
        />
      ),
      text: (one) => one.hold_time_s ?? "",
    },
    {
      id: "shares_tables",
      header: "Pair that shares its tables",
      cell: (one) => <SharesTables of={one} mayChange={mayChange} />,
      text: (one) => (one.shares_tables ? "yes" : "no"),
    },
  ];
  return (
    <>
      <Heading>Groups</Heading>
      <QueryView query={found} rows={4}>
        {(rows) => (
          <DataTable
            name="groups"
            caption="groups"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.name}
            empty="No switch is in a group."
          />
        )}
      </QueryView>
    </>
  );
}

const changeSite = ({ name, concurrency, area }: Site) =>
  need(api.PATCH("/api/v1/sites/{name}", { params: { path: { name } }, body: { concurrency, area } }));

const changeGroup = ({ name, hold_time_s, shares_tables }: Group) =>
  need(
    api.PATCH("/api/v1/groups/{name}", { params: { path: { name } }, body: { hold_time_s, shares_tables } }),
  );

function SharesTables({ of, mayChange }: { of: Group; mayChange: boolean }) {
  const save = useSaved((shares_tables: boolean) => changeGroup({ ...of, shares_tables }));
  if (!mayChange) return of.shares_tables ? "yes" : "no";
  return (
    <>
      <Tick label={`${of.name} is one`} checked={of.shares_tables} onChange={save.mutate} />
      {save.error && <ErrorNotice error={save.error} />}
    </>
  );
}

function useSaved<T>(call: (value: T) => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({
    meta: { done: "Saved." },
    mutationFn: call,
    onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }),
  });
}

/** A number that is changed where it stands; empty: as set for the service. */
function NumberOrUsual(props: {
  label: string;
  was: number | null;
  unit: string;
  mayChange: boolean;
  save: (value: number | null) => Promise<unknown>;
}) {
  const { was, unit, save, ...rest } = props;
  return (
    <ChangedHere
      {...rest}
      was={was === null ? "" : String(was)}
      shown={was === null ? "as set for the service" : `${was} ${unit}`}
      placeholder="as set"
      unit={unit}
      number
      save={(text) => save(text === "" ? null : Number(text))}
    />
  );
}

/** A value that is changed where it stands. */
function ChangedHere(props: {
  label: string;
  was: string;
  shown: string;
  placeholder: string;
  unit?: string;
  number?: boolean;
  mayChange: boolean;
  save: (text: string) => Promise<unknown>;
}) {
  const { label, was, shown, placeholder, unit, number, mayChange } = props;
  const [text, setText] = useState(was);
  const save = useSaved(props.save);
  if (!mayChange) return shown;
  return (
    <chakra.form
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(text.trim());
      }}
    >
      <Flex gap="6px" align="center">
        <Field
          aria-label={label}
          inputMode={number ? "numeric" : "text"}
          placeholder={placeholder}
          width={number ? "90px" : "130px"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        {unit}
        {text.trim() !== was && (
          <Button type="submit" size="xs" variant="outline" loading={save.isPending}>
            Save
          </Button>
        )}
      </Flex>
      {save.error && <ErrorNotice error={save.error} />}
    </chakra.form>
  );
}
