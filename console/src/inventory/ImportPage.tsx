// An inventory from a CSV file: what would change is shown first, and applied as one.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { credentialsQuery } from "../api/resources/inventory";
import { switchesQuery } from "../api/resources/switches";
import { useMay } from "../session/useSession";
import { Heading, Lines, Title } from "../shared/Grid";
import { OneOf } from "../shared/Labelled";
import { LeaveGuard } from "../shared/LeaveGuard";
import { switchPath } from "../shared/links";
import { ErrorNotice, Notice } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { type Difference, readInventory } from "./importing";

const EXAMPLE = "name,address,credential,site,groups\nquay-9,192.0.2.9,site-read,quay,edge";
const COLUMNS: Column<Difference>[] = [
  {
    id: "name",
    header: "Switch",
    cell: (one) => <Link to={switchPath(one.name)}>{one.name}</Link>,
    text: (one) => one.name,
  },
  { id: "field", header: "What", cell: (one) => one.field || "added", text: (one) => one.field || "added" },
  { id: "before", header: "Before", cell: (one) => one.before, text: (one) => one.before },
  { id: "after", header: "After", cell: (one) => <strong>{one.after}</strong>, text: (one) => one.after },
];

export function ImportPage() {
  const client = useQueryClient();
  const mayChange = useMay("administer");
  const switches = useQuery(switchesQuery);
  const credentials = useQuery(credentialsQuery);
  const [text, setText] = useState("");
  const [usual, setUsual] = useState("");
  const read = useMemo(
    () => (text.trim() && switches.data ? readInventory(text, switches.data.items) : null),
    [text, switches.data],
  );
  const apply = useMutation({
    mutationFn: (dry_run: boolean) => {
      const add = (read?.add ?? []).map((one) => withCredential(one, usual));
      return need(api.PATCH("/api/v1/switches", { body: { add, change: read?.change ?? {}, dry_run } }));
    },
    onSuccess: (outcome) => outcome.applied && setText(""),
    onSettled: () => client.invalidateQueries({ queryKey: ["switches"] }),
  });
  const ready = read !== null && read.problems.length === 0 && read.differences.length > 0;
  return (
    <>
      <Title>Import an inventory</Title>
      <LeaveGuard changed={text.trim() !== ""} what="These lines are not applied." />
      <p>
        A CSV file whose first line names the columns; an empty cell leaves what is there as it is, and a
        switch that is not in the file stays. An exported inventory can be imported again.
      </p>
      <Flex gap="12px" align="center" margin="10px 0" wrap="wrap">
        <input
          type="file"
          aria-label="file to import"
          accept=".csv,.txt,text/csv"
          onChange={(event) => {
            apply.reset();
            void event.target.files?.[0]?.text().then(setText);
          }}
        />
        <span>or paste it:</span>
      </Flex>
      <Lines
        aria-label="lines of the inventory"
        rows={7}
        placeholder={EXAMPLE}
        value={text}
        onChange={(event) => {
          apply.reset();
          setText(event.target.value);
        }}
      />
      {read?.problems.map((one) => (
        <Notice key={one} tone="bad">
          {one}
        </Notice>
      ))}
      {read && ready && (
        <>
          <Heading>
            What would change: {read.add.length} added, {Object.keys(read.change).length} changed
            {read.unchanged > 0 && `, ${read.unchanged} as they are`}
          </Heading>
          {read.add.some((one) => one.source === "snmp" && !one.credential) && (
            <chakra.div marginBottom="8px">
              <OneOf
                label="Credential of new ones that name none"
                of={(credentials.data ?? []).map((one) => one.name)}
                value={usual}
                onChange={setUsual}
                more={<option value="">choose one</option>}
              />
            </chakra.div>
          )}
          <DataTable
            caption="what would change"
            rows={read.differences}
            columns={COLUMNS}
            rowKey={(one) => `${one.name} ${one.field}`}
            empty=""
          />
          <Flex gap="10px" margin="12px 0">
            <Button
              size="sm"
              variant="outline"
              loading={apply.isPending}
              disabled={!mayChange}
              onClick={() => apply.mutate(true)}
            >
              Check it against the service
            </Button>
            <Button
              size="sm"
              bg="tarn"
              color="onTarn"
              loading={apply.isPending}
              disabled={!mayChange}
              onClick={() => apply.mutate(false)}
            >
              Apply all of it
            </Button>
            {!mayChange && <span>Only administrators change the inventory.</span>}
          </Flex>
        </>
      )}
      {read && read.problems.length === 0 && read.differences.length === 0 && (
        <Notice tone="soft">Nothing differs from the inventory.</Notice>
      )}
      {apply.error && <ErrorNotice error={apply.error} />}
      {apply.data && (
        <Notice tone="soft">
          {apply.data.applied
            ? `✓ Done: ${apply.data.added.length} added, ${apply.data.changed.length} changed.`
            : `✓ The service would accept it: ${apply.data.added.length} to add, ${apply.data.changed.length} to change.`}
        </Notice>
      )}
    </>
  );
}

function withCredential(one: Schemas["NewSwitch"], usual: string): Schemas["NewSwitch"] {
  return one.source === "snmp" && !one.credential && usual ? { ...one, credential: usual } : one;
}
