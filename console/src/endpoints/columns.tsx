// The columns of every list of endpoints.
import type { Endpoint } from "../api/client";
import { vlanText } from "../find/model";
import { Age } from "../shared/Age";
import { TimeLink } from "../shared/instant";
import { endpointPath, portPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import type { Column } from "../table/model";

const place = (one: Endpoint) => one.home ?? one.places[0];

export const ENDPOINT_COLUMNS: Column<Endpoint>[] = [
  {
    id: "mac",
    header: "Address",
    sortBy: "mac",
    width: 182,
    mono: true,
    cell: (one) => <TimeLink to={endpointPath(one.mac)}>{one.mac}</TimeLink>,
    text: (one) => one.mac,
  },
  {
    id: "label",
    wide: true,
    header: "Label",
    sortBy: "label",
    width: 110,
    cell: (one) => one.label,
    text: (one) => one.label,
  },
  {
    id: "ips",
    wide: true,
    header: "IP",
    width: 120,
    mono: true,
    cell: (one) => one.ips.join(", "),
    text: (one) => one.ips.join(", "),
  },
  {
    id: "host_names",
    wide: true,
    header: "Host name",
    width: 140,
    cell: (one) => one.host_names.join(", "),
    text: (one) => one.host_names.join(", "),
  },
  {
    id: "place",
    header: "Switch and port",
    width: 165,
    cell: (one) => {
      const at = place(one);
      return at ? (
        <TimeLink to={portPath(at.switch, at.port)}>
          {at.switch} · {at.port}
        </TimeLink>
      ) : (
        "nowhere"
      );
    },
    text: (one) => (place(one) ? `${place(one)?.switch} · ${place(one)?.port}` : ""),
  },
  {
    id: "vlan",
    wide: true,
    header: "VLAN",
    width: 110,
    cell: (one) => place(one) && vlanText(place(one)?.vlan ?? null, place(one)?.vlan_name ?? ""),
    text: (one) => place(one)?.vlan ?? "",
  },
  {
    id: "life",
    header: "Life",
    width: 100,
    cell: (one) => <StatusText of={place(one)?.life ?? "gone"} />,
    text: (one) => place(one)?.life ?? "gone",
  },
  {
    id: "confidence",
    wide: true,
    header: "How sure",
    width: 110,
    cell: (one) => one.confidence !== "none" && <StatusText of={one.confidence} title={one.why} />,
    text: (one) => one.confidence,
  },
  {
    id: "seen_at",
    header: "Last seen",
    width: 110,
    cell: (one) => place(one) && <Age at={place(one)?.seen_at} ago />,
    text: (one) => place(one)?.seen_at ?? "",
  },
  {
    id: "began_at",
    header: "There since",
    width: 105,
    extra: true,
    cell: (one) => place(one) && <Age at={place(one)?.began_at} />,
    text: (one) => place(one)?.began_at ?? "",
  },
  {
    id: "first_seen_at",
    wide: true,
    header: "First seen",
    sortBy: "first_seen_at",
    width: 110,
    cell: (one) => <Age at={one.first_seen_at} ago />,
    text: (one) => one.first_seen_at,
  },
  {
    id: "maker",
    header: "Maker",
    width: 150,
    extra: true,
    cell: (one) => one.maker,
    text: (one) => one.maker,
  },
  {
    id: "owner",
    header: "Owner",
    sortBy: "owner",
    width: 120,
    extra: true,
    cell: (one) => one.owner,
    text: (one) => one.owner,
  },
  {
    id: "port_alias",
    header: "Port label",
    width: 140,
    extra: true,
    cell: (one) => place(one)?.port_alias,
    text: (one) => place(one)?.port_alias ?? "",
  },
];

export const endpointKey = (one: Endpoint) => one.mac;
