// Links to devices, and mappings: how CSV tables of readings are understood.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, fieldError, need, type Schemas } from "../api/client";
import { deviceLinksQuery, mappingsQuery } from "../api/resources/inventory";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Confirm } from "../shared/Confirm";
import { FormDialog } from "../shared/FormDialog";
import { Heading, Title } from "../shared/Grid";
import { Labelled, OneOf, Tick } from "../shared/Labelled";
import { ErrorNotice, FormError, QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { wordsOf } from "./model";

type DeviceLink = Schemas["DeviceLink"];
type Mapping = Schemas["NamedMapping"];
const OF = ["switch", "endpoint"] as const;
const NOTATIONS = ["hex", "decimal"] as const;
const PLACES = {
  switch: "{address} {name} {site}",
  endpoint: "{ip} {mac} {host_name} {switch} {port}",
};

export function LinksPage() {
  return (
    <>
      <Title>Links and mappings</Title>
      <DeviceLinks />
      <Mappings />
    </>
  );
}

function DeviceLinks() {
  const client = useQueryClient();
  const found = useQuery(deviceLinksQuery);
  const mayChange = useMay("administer");
  const [name, setName] = useState("");
  const [of, setOf] = useState<DeviceLink["of"]>("switch");
  const [template, setTemplate] = useState("");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["links"] }) };
  const set = useMutation({
    mutationFn: () =>
      need(
        api.PUT("/api/v1/device-links/{name}", {
          params: { path: { name: name.trim() } },
          body: { of, template: template.trim() },
        }),
      ),
    onSuccess: () => {
      setName("");
      setTemplate("");
    },
    ...settled,
  });
  const remove = useMutation({
    mutationFn: (one: string) =>
      drop(api.DELETE("/api/v1/device-links/{name}", { params: { path: { name: one } } })),
    ...settled,
  });
  const columns: Column<DeviceLink>[] = [
    { id: "name", header: "Name", cell: (one) => <strong>{one.name}</strong>, text: (one) => one.name },
    { id: "of", header: "Leads to", cell: (one) => `each ${one.of}`, text: (one) => one.of },
    {
      id: "template",
      header: "Template",
      mono: true,
      cell: (one) => one.template,
      text: (one) => one.template,
    },
    ...(mayChange
      ? [
          {
            id: "change",
            header: "Change",
            cell: (one: DeviceLink) => (
              <Confirm
                label={`Remove ${one.name}`}
                title={`Remove the link ${one.name}?`}
                act={() => remove.mutate(one.name)}
              >
                It goes from the pages of each {one.of}.
              </Confirm>
            ),
          },
        ]
      : []),
  ];
  return (
    <>
      <Heading>Links to devices</Heading>
      <p>Shown on the page of each switch or endpoint that has what the template names.</p>
      {mayChange && (
        <Flex
          as="form"
          gap="12px"
          wrap="wrap"
          align="flex-start"
          margin="8px 0 12px"
          onSubmit={(event) => {
            event.preventDefault();
            set.mutate();
          }}
        >
          <Labelled label="Name" value={name} error={fieldError(set.error, "name")} onChange={setName} />
          <OneOf label="Leads to" of={OF} value={of} onChange={setOf} />
          <Labelled
            label="Template"
            width="320px"
            fontFamily="mono"
            placeholder={of === "switch" ? "ssh://{address}" : "https://{ip}"}
            value={template}
            error={fieldError(set.error, "template")}
            hint={PLACES[of]}
            onChange={setTemplate}
          />
          <Button
            type="submit"
            size="sm"
            variant="outline"
            marginTop="22px"
            disabled={!name.trim() || !template.trim()}
            loading={set.isPending}
          >
            Save it
          </Button>
        </Flex>
      )}
      <FormError error={set.error ?? remove.error} fields={["name", "template"]} />
      <QueryView query={found} rows={3}>
        {(rows) => (
          <DataTable
            name="links"
            caption="links to devices"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.name}
            empty="None yet."
          />
        )}
      </QueryView>
    </>
  );
}

function Mappings() {
  const client = useQueryClient();
  const found = useQuery(mappingsQuery);
  const mayChange = useMay("operate");
  const [form, setForm] = useState<Mapping | "new" | null>(null);
  const remove = useMutation({
    mutationFn: (one: string) =>
      drop(api.DELETE("/api/v1/mappings/{name}", { params: { path: { name: one } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }),
  });
  const columns: Column<Mapping>[] = [
    { id: "name", header: "Name", cell: (one) => <strong>{one.name}</strong>, text: (one) => one.name },
    {
      id: "columns",
      header: "Columns",
      cell: (one) =>
        [one.mapping.address, one.mapping.port, one.mapping.vlan, one.mapping.status]
          .filter(Boolean)
          .join(", "),
      text: (one) => one.mapping.address,
    },
    {
      id: "delimiter",
      header: "Between them",
      mono: true,
      cell: (one) => one.mapping.delimiter,
      text: (one) => one.mapping.delimiter,
    },
    ...(mayChange
      ? [
          {
            id: "change",
            header: "Change",
            cell: (one: Mapping) => (
              <Flex gap="6px">
                <Button
                  size="xs"
                  variant="outline"
                  aria-label={`Change ${one.name}`}
                  onClick={() => setForm(one)}
                >
                  Change
                </Button>
                <Confirm
                  label={`Remove ${one.name}`}
                  title={`Remove the mapping ${one.name}?`}
                  act={() => remove.mutate(one.name)}
                >
                  Tables cannot be imported by it any more; what was imported stays.
                </Confirm>
              </Flex>
            ),
          },
        ]
      : []),
  ];
  return (
    <>
      <Heading>Mappings of CSV tables</Heading>
      <p>How the columns of a MAC address table in CSV are understood when it is imported.</p>
      {remove.error && <ErrorNotice error={remove.error} />}
      <QueryView query={found} rows={3}>
        {(rows) => (
          <DataTable
            name="mappings"
            caption="mappings"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.name}
            empty="None yet."
          >
            {mayChange && (
              <Button size="sm" variant="outline" onClick={() => setForm("new")}>
                Add a mapping
              </Button>
            )}
          </DataTable>
        )}
      </QueryView>
      {form && <MappingForm of={form === "new" ? null : form} onClose={() => setForm(null)} />}
    </>
  );
}

const EMPTY: Schemas["CsvMapping"] = {
  address: "",
  port: "",
  vlan: "",
  status: "",
  delimiter: ",",
  heading: true,
  skip: 0,
  notation: "hex",
  port_name: "{port}",
};

function MappingForm({ of, onClose }: { of: Mapping | null; onClose: () => void }) {
  const client = useQueryClient();
  const [name, setName] = useState(of?.name ?? "");
  const [before] = useState<Schemas["CsvMapping"]>(of?.mapping ?? EMPTY);
  const [mapping, setMapping] = useState(before);
  const put = (part: Partial<Schemas["CsvMapping"]>) => setMapping((now) => ({ ...now, ...part }));
  const save = useMutation({
    mutationFn: () =>
      need(api.PUT("/api/v1/mappings/{name}", { params: { path: { name: name.trim() } }, body: mapping })),
    onSuccess: onClose,
    onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }),
  });
  const text = (field: "address" | "port" | "vlan" | "status" | "delimiter", label: string, more = {}) => (
    <Labelled
      label={label}
      value={mapping[field] ?? ""}
      error={fieldError(save.error, field)}
      onChange={(value) => put({ [field]: value })}
      {...more}
    />
  );
  return (
    <FormDialog
      title={of ? `Change ${of.name}` : "Add a mapping"}
      changed={JSON.stringify(mapping) !== JSON.stringify(before) || name !== (of?.name ?? "")}
      onClose={onClose}
      onSave={() => save.mutate()}
      saving={save.isPending}
      save="Save"
      ready={name.trim() !== "" && mapping.address !== "" && mapping.port !== ""}
    >
      <Flex gap="12px 16px" wrap="wrap" align="flex-start">
        {!of && (
          <Labelled
            label="Name"
            value={name}
            error={fieldError(save.error, "name")}
            onChange={setName}
            autoFocus
          />
        )}
        {text("address", "Column of the address")}
        {text("port", "Column of the port")}
        {text("vlan", "Column of the VLAN", { placeholder: "none" })}
        {text("status", "Column of the status", { placeholder: "none" })}
        <Labelled
          label="Status words of learned rows"
          value={(mapping.learned ?? []).join(", ")}
          placeholder="all rows count"
          onChange={(words) => put({ learned: wordsOf(words) })}
        />
      </Flex>
      <Flex gap="12px 16px" wrap="wrap" align="flex-end" marginTop="14px">
        {text("delimiter", "Between columns", { width: "90px" })}
        <Labelled
          label="Lines to skip"
          width="90px"
          value={String(mapping.skip ?? 0)}
          error={fieldError(save.error, "skip")}
          onChange={(skip) => put({ skip: Number(skip) })}
        />
        <OneOf
          label="Addresses are written in"
          of={NOTATIONS}
          value={mapping.notation ?? "hex"}
          onChange={(notation) => put({ notation })}
        />
        <Tick
          label="its first line names the columns"
          checked={mapping.heading ?? true}
          onChange={(heading) => put({ heading })}
        />
      </Flex>
      <FormError
        error={save.error}
        fields={["name", "address", "port", "vlan", "status", "delimiter", "skip"]}
      />
    </FormDialog>
  );
}
