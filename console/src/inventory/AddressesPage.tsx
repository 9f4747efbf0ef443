// What is known about addresses beforehand: those that many share, and makers of prefixes.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { makersQuery, sharedAddressesQuery } from "../api/resources/inventory";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Confirm } from "../shared/Confirm";
import { Heading, Title } from "../shared/Grid";
import { Labelled } from "../shared/Labelled";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { AddForm } from "./AddForm";

type Shared = Schemas["SharedAddress"];
type Maker = Schemas["Maker"];

export function AddressesPage() {
  return (
    <>
      <Title>Addresses</Title>
      <SharedAddresses />
      <Makers />
    </>
  );
}

function SharedAddresses() {
  const client = useQueryClient();
  const found = useQuery(sharedAddressesQuery);
  const mayChange = useMay("operate");
  const [prefix, setPrefix] = useState("");
  const [reason, setReason] = useState("");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }) };
  const add = useMutation({
    mutationFn: () =>
      need(
        api.PUT("/api/v1/shared-addresses/{prefix}", {
          params: { path: { prefix: prefix.trim() } },
          body: { reason: reason.trim() },
        }),
      ),
    onSuccess: () => {
      setPrefix("");
      setReason("");
    },
    ...settled,
  });
  const remove = useMutation({
    mutationFn: (one: string) =>
      drop(api.DELETE("/api/v1/shared-addresses/{prefix}", { params: { path: { prefix: one } } })),
    ...settled,
  });
  const columns: Column<Shared>[] = [
    {
      id: "prefix",
      header: "Address or prefix",
      mono: true,
      cell: (one) => one.prefix,
      text: (one) => one.prefix,
    },
    { id: "reason", header: "Why many have it", cell: (one) => one.reason, text: (one) => one.reason },
    ...(mayChange
      ? [
          {
            id: "change",
            header: "Change",
            cell: (one: Shared) => (
              <Confirm
                label={`Remove ${one.prefix}`}
                title={`Is ${one.prefix} shared no more?`}
                act={() => remove.mutate(one.prefix)}
              >
                If it is seen at several places, findings report it again.
              </Confirm>
            ),
          },
        ]
      : []),
  ];
  const error = add.error ?? remove.error;
  return (
    <>
      <Heading>Shared addresses</Heading>
      <p>
        Addresses that several devices have by design, such as those of router pairs: their moves are not
        findings.
      </p>
      {mayChange && (
        <AddForm
          busy={add.isPending}
          ready={prefix.trim() !== "" && reason.trim() !== ""}
          onAdd={() => add.mutate()}
        >
          <Labelled label="Address, or how it begins" fontFamily="mono" value={prefix} onChange={setPrefix} />
          <Labelled label="Why" width="320px" value={reason} onChange={setReason} />
        </AddForm>
      )}
      {error && <ErrorNotice error={error} />}
      <QueryView query={found} rows={3}>
        {(rows) => (
          <DataTable
            name="shared"
            caption="shared addresses"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.prefix}
            empty="None."
          />
        )}
      </QueryView>
    </>
  );
}

function Makers() {
  const client = useQueryClient();
  const found = useQuery(makersQuery);
  const mayChange = useMay("operate");
  const [prefix, setPrefix] = useState("");
  const [maker, setMaker] = useState("");
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["inventory"] }) };
  const add = useMutation({
    mutationFn: () =>
      need(api.PATCH("/api/v1/makers", { body: { makers: { [prefix.trim()]: maker.trim() } } })),
    onSuccess: () => {
      setPrefix("");
      setMaker("");
    },
    ...settled,
  });
  const remove = useMutation({
    mutationFn: (one: string) =>
      drop(api.DELETE("/api/v1/makers/{prefix}", { params: { path: { prefix: one } } })),
    ...settled,
  });
  const columns: Column<Maker>[] = [
    { id: "prefix", header: "Prefix", mono: true, cell: (one) => one.prefix, text: (one) => one.prefix },
    { id: "maker", header: "Maker", cell: (one) => one.maker, text: (one) => one.maker },
    ...(mayChange
      ? [
          {
            id: "change",
            header: "Change",
            cell: (one: Maker) => (
              <Confirm
                label={`Remove ${one.prefix}`}
                title={`Forget the maker of ${one.prefix}?`}
                act={() => remove.mutate(one.prefix)}
              >
                Addresses that begin so have the maker of a shorter prefix, or none.
              </Confirm>
            ),
          },
        ]
      : []),
  ];
  const error = add.error ?? remove.error;
  return (
    <>
      <Heading>Makers of prefixes</Heading>
      <p>Beside the registry: prefixes that are known here. The longest that fits an address counts.</p>
      {mayChange && (
        <AddForm
          busy={add.isPending}
          ready={prefix.trim() !== "" && maker.trim() !== ""}
          onAdd={() => add.mutate()}
        >
          <Labelled label="Prefix" fontFamily="mono" value={prefix} onChange={setPrefix} />
          <Labelled label="Maker" width="260px" value={maker} onChange={setMaker} />
        </AddForm>
      )}
      {error && <ErrorNotice error={error} />}
      <QueryView query={found} rows={3}>
        {(rows) => (
          <DataTable
            name="makers"
            caption="makers"
            rows={rows}
            columns={columns}
            rowKey={(one) => one.prefix}
            empty="None of your own."
          />
        )}
      </QueryView>
    </>
  );
}
