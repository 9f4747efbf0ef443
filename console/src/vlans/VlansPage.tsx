// VLANs across switches, and one of them: where it lives and who is in it.
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { vlanPortsQuery, vlansQuery } from "../api/resources/network";
import { inVlanQuery } from "../api/resources/stays";
import { Exports } from "../shared/Exports";
import { Heading, More, Sheet, Title } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { mapOf, portPath, vlanPath } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { StayTable } from "../shared/StayTable";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";

const VLANS: Column<Schemas["VlanSummary"]>[] = [
  {
    id: "id",
    header: "VLAN",
    width: 80,
    number: true,
    cell: (one) => <Link to={vlanPath(one.id)}>{one.id}</Link>,
    text: (one) => one.id,
  },
  {
    id: "names",
    header: "Name",
    cell: (one) => (
      <>
        {one.names.join(" / ")}
        {one.names.length > 1 && <span className="soft"> (switches do not agree)</span>}
      </>
    ),
    text: (one) => one.names.join(" / "),
  },
  {
    id: "switches",
    header: "Switches that have it",
    number: true,
    cell: (one) => one.switches,
    text: (one) => one.switches,
  },
  {
    id: "present",
    header: "Addresses present",
    number: true,
    cell: (one) => one.present,
    text: (one) => one.present,
  },
];

const CARRIERS: Column<Schemas["VlanPort"]>[] = [
  {
    id: "port",
    header: "Port",
    width: 220,
    cell: (one) => (
      <Link to={portPath(one.switch, one.port)}>
        {one.switch} · {one.port}
      </Link>
    ),
    text: (one) => `${one.switch} · ${one.port}`,
  },
  { id: "alias", header: "Label", width: 260, cell: (one) => one.alias, text: (one) => one.alias },
  { id: "tagged", header: "Carries it", width: 120, cell: tagging, text: tagging },
  {
    id: "oper",
    header: "State",
    width: 110,
    cell: (one) => <StatusText of={one.oper} />,
    text: (one) => one.oper,
  },
];

function tagging(one: Schemas["VlanPort"]): string {
  return one.tagged ? "tagged" : "untagged";
}

export function VlansPage() {
  const navigate = useNavigate();
  const vlans = useQuery(vlansQuery);
  return (
    <>
      <Title>VLANs</Title>
      <QueryView query={vlans} rows={6}>
        {(rows) => (
          <DataTable
            caption="VLANs"
            rows={rows}
            columns={VLANS}
            rowKey={(one) => String(one.id)}
            empty="No VLANs have been read yet."
            open={(one) => navigate(vlanPath(one.id))}
            exported={{ list: "vlans" }}
          />
        )}
      </QueryView>
    </>
  );
}

export function VlanPage() {
  const id = Number(useParams().id);
  const at = useAt();
  const vlans = useQuery(vlansQuery);
  const name = vlans.data?.find((one) => one.id === id)?.names.join(" / ") ?? "";
  return (
    <>
      <Title>
        VLAN {id} {name} <More to={mapOf("vlan", id)}>on the map</More>
      </Title>
      <InIt id={id} at={at} />
      {at === undefined && <Carriers id={id} />}
    </>
  );
}

function InIt({ id, at }: { id: number; at: string | undefined }) {
  const stays = useQuery(inVlanQuery(id, at));
  return (
    <>
      <Heading>
        Who {at ? "was" : "is"} in it, on ports that {at ? "led" : "lead"} to no switch{" "}
        <Exports list="stays" filters={{ vlan: String(id), ...(at ? { at } : {}) }} />
      </Heading>
      <Sheet tabIndex={0} aria-label="addresses in the VLAN">
        <QueryView query={stays} rows={8}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>No addresses.</Nothing>
            ) : (
              <StayTable stays={page.items} placed />
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

function Carriers({ id }: { id: number }) {
  const ports = useQuery(vlanPortsQuery(id));
  return (
    <>
      <Heading>Ports that carry it</Heading>
      <QueryView query={ports} rows={6}>
        {(rows) => (
          <DataTable
            caption="ports that carry the VLAN"
            rows={rows}
            columns={CARRIERS}
            rowKey={(one) => `${one.switch} ${one.port}`}
            empty="No switch reports which of its ports carry it."
          />
        )}
      </QueryView>
    </>
  );
}
