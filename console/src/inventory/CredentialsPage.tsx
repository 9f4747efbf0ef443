// Named credentials: what switches are read and written with. Secrets go in and are never shown.
import { Box, Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, fieldError, need, type Schemas } from "../api/client";
import { credentialsQuery } from "../api/resources/inventory";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Confirm } from "../shared/Confirm";
import { counted } from "../shared/count";
import { FormDialog } from "../shared/FormDialog";
import { Title } from "../shared/Grid";
import { Labelled } from "../shared/Labelled";
import { ErrorNotice, FormError, QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { AccessFields } from "./AccessFields";
import { type AccessDraft, accessOf, EMPTY_ACCESS, hasAccess } from "./model";
import { Verdict } from "./Verdict";

type Credential = Schemas["NamedCredential"];

export function CredentialsPage() {
  const client = useQueryClient();
  const found = useQuery(credentialsQuery);
  const mayChange = useMay("administer");
  const [form, setForm] = useState<Credential | "new" | null>(null);
  const remove = useMutation({
    meta: { done: "The credential is removed." },
    mutationFn: (name: string) =>
      drop(api.DELETE("/api/v1/credentials/{name}", { params: { path: { name } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }),
  });
  const columns: Column<Credential>[] = [
    { id: "name", header: "Name", cell: (one) => <strong>{one.name}</strong>, text: (one) => one.name },
    { id: "kind", header: "What it is", cell: (one) => one.kind, text: (one) => one.kind },
    {
      id: "used_by",
      header: "Used by",
      number: true,
      cell: (one) => counted(one.used_by, "switch", "switches"),
      text: (one) => one.used_by,
    },
    {
      id: "added_at",
      header: "Added",
      cell: (one) => <Age at={one.added_at} ago />,
      text: (one) => one.added_at,
    },
    ...(mayChange
      ? [
          {
            id: "change",
            header: "Change",
            cell: (one: Credential) => (
              <Flex gap="6px">
                <Button
                  size="xs"
                  variant="outline"
                  aria-label={`Replace ${one.name}`}
                  onClick={() => setForm(one)}
                >
                  Replace
                </Button>
                <Confirm
                  label={`Remove ${one.name}`}
                  title={`Remove the credential ${one.name}?`}
                  act={() => remove.mutate(one.name)}
                >
                  {one.used_by > 0
                    ? `It is used by ${counted(one.used_by, "switch", "switches")}, which need another one first.`
                    : "No switch uses it."}
                </Confirm>
              </Flex>
            ),
          },
        ]
      : []),
  ];
  return (
    <>
      <Title>Credentials</Title>
      {remove.error && <ErrorNotice error={remove.error} />}
      <QueryView query={found} rows={4}>
        {(rows) => (
          <DataTable
            caption="credentials"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.name}
            empty="None yet. A credential with a name serves many switches, and is changed in one place."
          >
            {mayChange && (
              <Button size="sm" bg="tarn" color="onTarn" onClick={() => setForm("new")}>
                Add a credential
              </Button>
            )}
          </DataTable>
        )}
      </QueryView>
      {form && <CredentialForm of={form === "new" ? null : form} onClose={() => setForm(null)} />}
    </>
  );
}

function CredentialForm({ of, onClose }: { of: Credential | null; onClose: () => void }) {
  const client = useQueryClient();
  const [name, setName] = useState(of?.name ?? "");
  const [access, setAccess] = useState<AccessDraft>(EMPTY_ACCESS);
  const [host, setHost] = useState("");
  const [port, setPort] = useState("161");
  const save = useMutation({
    meta: { done: "The credential is saved." },
    mutationFn: () =>
      of
        ? need(
            api.PUT("/api/v1/credentials/{name}", {
              params: { path: { name: of.name } },
              body: accessOf(access),
            }),
          )
        : need(api.POST("/api/v1/credentials", { body: { name: name.trim(), access: accessOf(access) } })),
    onSuccess: onClose,
    onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }),
  });
  const trial = useMutation({
    mutationFn: () =>
      need(
        api.POST("/api/v1/credentials/test", {
          body: { host: host.trim(), port: Number(port), access: accessOf(access) },
        }),
      ),
  });
  const error = save.error ?? trial.error;
  return (
    <FormDialog
      title={of ? `Replace ${of.name}` : "Add a credential"}
      changed={hasAccess(access) || (!of && name !== "")}
      onClose={onClose}
      onSave={() => save.mutate()}
      saving={save.isPending}
      save={of ? "Replace it" : "Add it"}
      ready={name.trim() !== "" && hasAccess(access)}
      more={
        <Button
          size="sm"
          variant="outline"
          loading={trial.isPending}
          disabled={!host.trim() || !hasAccess(access)}
          onClick={() => trial.mutate()}
        >
          Try it first
        </Button>
      }
    >
      {!of && (
        <Labelled label="Name" value={name} error={fieldError(error, "name")} onChange={setName} autoFocus />
      )}
      {of && of.used_by > 0 && (
        <p>{counted(of.used_by, "switch uses", "switches use")} it, from the next reading on.</p>
      )}
      <Box marginTop="10px">
        <AccessFields of={access} onChange={setAccess} error={error} />
      </Box>
      <Flex gap="12px" wrap="wrap" marginTop="14px">
        <Labelled
          label="Try it on (address of a switch)"
          value={host}
          error={fieldError(error, "host")}
          onChange={setHost}
        />
        <Labelled
          label="UDP port"
          width="90px"
          value={port}
          error={fieldError(error, "port")}
          onChange={setPort}
        />
      </Flex>
      {trial.data && <Verdict of={trial.data} />}
      <FormError
        error={error}
        fields={["name", "host", "port", "community", "user", "auth_password", "privacy_password"]}
      />
    </FormDialog>
  );
}
