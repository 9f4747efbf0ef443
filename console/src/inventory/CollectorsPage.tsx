// Collectors at sites: how each is, and how the readings of their sites come.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { collectedSitesQuery, collectorsQuery } from "../api/resources/inventory";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Confirm } from "../shared/Confirm";
import { Heading, Title } from "../shared/Grid";
import { Labelled } from "../shared/Labelled";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { AddForm } from "./AddForm";

type Collector = Schemas["Collector"];
type Site = Schemas["CollectedSite"];

const SITES: Column<Site>[] = [
  { id: "site", header: "Site", cell: (one) => <strong>{one.site}</strong>, text: (one) => one.site },
  {
    id: "state",
    header: "Its readings",
    cell: (one) => (
      <>
        <StatusText of={stateOf(one)} />
        {(one.silent_since ?? one.behind_since) && (
          <span className="soft">
            {" "}
            for <Age at={one.silent_since ?? one.behind_since} />
          </span>
        )}
      </>
    ),
    text: stateOf,
  },
  {
    id: "on_their_way",
    header: "On their way",
    number: true,
    cell: (one) => one.on_their_way,
    text: (one) => one.on_their_way,
  },
  {
    id: "dropped",
    header: "Dropped there",
    number: true,
    cell: (one) => one.dropped,
    text: (one) => one.dropped,
  },
  {
    id: "refused",
    header: "Refused here",
    number: true,
    cell: (one) => one.refused,
    text: (one) => one.refused,
  },
  { id: "refusal", header: "Last refusal", cell: (one) => one.refusal, text: (one) => one.refusal },
];

function stateOf(one: Site): string {
  if (one.silent_since) return "not heard";
  return one.up_to_date ? "up to date" : "on its way";
}

export function CollectorsPage() {
  const client = useQueryClient();
  const found = useQuery(collectorsQuery);
  const sites = useQuery(collectedSitesQuery);
  const mayChange = useMay("administer");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["collectors"] }) };
  const remove = useMutation({
    meta: { done: "The collector is removed." },
    mutationFn: (name: string) =>
      drop(api.DELETE("/api/v1/collectors/{name}", { params: { path: { name } } })),
    ...settled,
  });
  const columns: Column<Collector>[] = [
    { id: "name", header: "Name", cell: (one) => <strong>{one.name}</strong>, text: (one) => one.name },
    { id: "site", header: "Site", cell: (one) => one.site, text: (one) => one.site },
    {
      id: "state",
      header: "State",
      cell: (one) => <StatusText of={one.state} />,
      text: (one) => one.state,
    },
    {
      id: "heard_at",
      header: "Heard",
      cell: (one) => <Age at={one.heard_at} ago />,
      text: (one) => one.heard_at ?? "",
    },
    {
      id: "switches",
      header: "Switches",
      number: true,
      cell: (one) => one.switches,
      text: (one) => one.switches,
    },
    { id: "unsent", header: "Unsent", number: true, cell: (one) => one.unsent, text: (one) => one.unsent },
    {
      id: "clock",
      header: "Clock ahead",
      number: true,
      cell: (one) => `${one.clock_ahead_s} s`,
      text: (one) => one.clock_ahead_s,
    },
    { id: "version", header: "Version", cell: (one) => one.version, text: (one) => one.version },
    { id: "problem", header: "Last trouble", cell: (one) => one.problem, text: (one) => one.problem },
    ...(mayChange
      ? [
          {
            id: "change",
            header: "Change",
            cell: (one: Collector) => (
              <Confirm
                label={`Remove ${one.name}`}
                title={`Remove the collector ${one.name}?`}
                act={() => remove.mutate(one.name)}
              >
                With the last one of {one.site}, its switches are read by the service itself again.
              </Confirm>
            ),
          },
        ]
      : []),
  ];
  return (
    <>
      <Title>Collectors</Title>
      <p>
        A collector reads the switches of its site there and sends the readings here; while the line is down
        they are kept at the site.
      </p>
      {mayChange && <NewCollector />}
      {remove.error && <ErrorNotice error={remove.error} />}
      <QueryView query={found} rows={3}>
        {(rows) => (
          <DataTable
            name="collectors"
            caption="collectors"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.name}
            empty="None: every switch is read by the service itself."
          />
        )}
      </QueryView>
      <Heading>Sites they read</Heading>
      <QueryView query={sites} rows={3}>
        {(rows) => (
          <DataTable
            name="sites"
            caption="sites that collectors read"
            rows={rows}
            columns={SITES}
            rowKey={(one) => one.site}
            empty="None."
          />
        )}
      </QueryView>
    </>
  );
}

function NewCollector() {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [site, setSite] = useState("");
  const [key, setKey] = useState("");
  const add = useMutation({
    meta: { done: "The collector is added." },
    mutationFn: () =>
      need(
        api.POST("/api/v1/collectors", {
          body: { name: name.trim(), site: site.trim(), public_key: key.trim() },
        }),
      ),
    onSuccess: () => {
      setName("");
      setSite("");
      setKey("");
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["collectors"] }),
  });
  return (
    <>
      <AddForm
        busy={add.isPending}
        ready={name.trim() !== "" && site.trim() !== "" && key.trim().length >= 44}
        onAdd={() => add.mutate()}
      >
        <Labelled label="Name" value={name} onChange={setName} />
        <Labelled label="Site, as its switches name it" value={site} onChange={setSite} />
        <Labelled
          label="Key, as “kiteroll collector key” prints it"
          fontFamily="mono"
          width="420px"
          value={key}
          onChange={setKey}
        />
      </AddForm>
      {add.error && <ErrorNotice error={add.error} />}
    </>
  );
}
