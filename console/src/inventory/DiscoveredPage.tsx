// Switches that others announce and that are not in the inventory: offered, never added by themselves.
import { Button } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { discoveredQuery } from "../api/resources/inventory";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Title } from "../shared/Grid";
import { portPath, switchPath } from "../shared/links";
import { QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { SwitchForm } from "./SwitchForm";

type Neighbour = Schemas["Neighbour"];

export function DiscoveredPage() {
  const found = useQuery(discoveredQuery);
  const mayAdd = useMay("administer");
  const navigate = useNavigate();
  const [adding, setAdding] = useState<Neighbour | null>(null);
  const columns: Column<Neighbour>[] = [
    {
      id: "name",
      header: "Announces itself as",
      cell: (one) => <strong>{one.name || one.chassis}</strong>,
      text: (one) => one.name || one.chassis,
    },
    {
      id: "description",
      header: "What it is",
      cell: (one) => one.description,
      text: (one) => one.description,
    },
    {
      id: "addresses",
      header: "Management address",
      mono: true,
      cell: (one) => one.addresses.join(", "),
      text: (one) => one.addresses.join(", "),
    },
    {
      id: "switch",
      header: "Heard at",
      cell: (one) => (
        <Link to={portPath(one.switch, one.port)}>
          {one.switch} · {one.port}
        </Link>
      ),
      text: (one) => `${one.switch} · ${one.port}`,
    },
    {
      id: "seen_at",
      header: "Last heard",
      cell: (one) => <Age at={one.seen_at} ago />,
      text: (one) => one.seen_at,
    },
    ...(mayAdd
      ? [
          {
            id: "add",
            header: "Add",
            cell: (one: Neighbour) => (
              <Button
                size="xs"
                variant="outline"
                aria-label={`Add ${one.name || one.chassis}`}
                onClick={() => setAdding(one)}
              >
                Add
              </Button>
            ),
          },
        ]
      : []),
  ];
  return (
    <>
      <Title>Discovered switches</Title>
      <QueryView query={found} rows={4}>
        {(rows) => (
          <DataTable
            caption="discovered switches"
            rows={rows}
            columns={columns}
            rowKey={(one) => `${one.switch} ${one.port} ${one.chassis}`}
            empty="None: every bridge that announces itself (LLDP) to a switch of the inventory is in the inventory."
            exported={{ list: "discovered-switches" }}
          />
        )}
      </QueryView>
      {adding && (
        <SwitchForm
          of={null}
          proposed={{ name: adding.name.replace(/[^\w.-]+/g, "-"), host: adding.addresses[0] ?? "" }}
          onClose={(saved) => {
            setAdding(null);
            if (saved) navigate(switchPath(saved));
          }}
        />
      )}
    </>
  );
}
