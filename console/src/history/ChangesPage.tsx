// All changes, latest first: what appeared, moved, went quiet, came back and ended.
import { useInfiniteQuery } from "@tanstack/react-query";
import { useNavigate, useSearchParams } from "react-router";
import type { Change } from "../api/client";
import { allChangesQuery } from "../api/resources/history";
import { Age } from "../shared/Age";
import { Title } from "../shared/Grid";
import { TimeLink, useAt } from "../shared/instant";
import { endpointPath, portPath, switchPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import { fullTime } from "../shared/time";
import type { Column } from "../table/model";
import { PagedTable } from "../table/PagedTable";
import { serverSort } from "../table/paged";

const COLUMNS: Column<Change>[] = [
  {
    id: "at",
    wide: true,
    header: "When",
    sortBy: "at",
    width: 200,
    cell: (one) => fullTime(one.at),
    text: (one) => one.at,
  },
  { id: "age", header: "Ago", width: 110, cell: (one) => <Age at={one.at} ago /> },
  {
    id: "kind",
    header: "What",
    width: 120,
    cell: (one) => <StatusText of={one.kind} />,
    text: (one) => one.kind,
  },
  {
    id: "mac",
    header: "Address",
    width: 165,
    mono: true,
    cell: (one) => one.mac && <TimeLink to={endpointPath(one.mac)}>{one.mac}</TimeLink>,
    text: (one) => one.mac ?? "",
  },
  {
    id: "place",
    header: "Where",
    width: 260,
    cell: (one) => (
      <TimeLink to={one.port ? portPath(one.switch, one.port) : switchPath(one.switch)}>
        {placeText(one)}
      </TimeLink>
    ),
    text: placeText,
  },
  {
    id: "vlan",
    wide: true,
    header: "VLAN",
    width: 70,
    cell: (one) => one.vlan,
    text: (one) => one.vlan ?? "",
  },
  {
    id: "ending",
    wide: true,
    header: "Why it ended",
    width: 220,
    cell: (one) => <span className="soft">{one.ending}</span>,
    text: (one) => one.ending ?? "",
  },
];

function placeText(one: Change): string {
  if (!one.port) return one.switch;
  return `${one.switch} · ${one.from_port ? `${one.from_port} → ` : ""}${one.port}`;
}

const rowKey = (one: Change) => String(one.id);

export function ChangesPage() {
  const [params] = useSearchParams();
  const at = useAt();
  const navigate = useNavigate();
  const found = useInfiniteQuery(allChangesQuery(at, serverSort(params.get("sort"), COLUMNS)));
  return (
    <>
      <Title>Changes{at && " up to then"}</Title>
      <PagedTable
        query={found}
        expected={12}
        caption="changes"
        columns={COLUMNS}
        rowKey={rowKey}
        empty="No changes yet. They appear here as switches are read."
        exported={{ list: "changes", filters: at ? { until: at } : {} }}
        open={(one) => one.mac && navigate(endpointPath(one.mac))}
      />
    </>
  );
}
