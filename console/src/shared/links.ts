// URLs of the console: every view has one, and only this file writes them.

/** The files a list can be had as: the ending of each, and what it is called. */
export const EXPORT_SHAPES: [ending: string, name: string][] = [
  ["csv", "CSV"],
  ["xlsx", "Spreadsheet (XLSX)"],
  ["json", "JSON"],
  ["jsonl", "JSON Lines"],
  ["xml", "XML"],
];

/** What an export is narrowed by; several values of one name each stand for themselves. */
export type ExportFilter = Record<string, string | string[]>;

export const switchPath = (name: string) => `/switches/${encodeURIComponent(name)}`;

/** The switches of one site; `sort` as in the table of switches. */
export const switchesOfSitePath = (site: string, sort?: string) =>
  `/switches?${new URLSearchParams({ narrow: `site:"${site}"`, ...(sort ? { sort } : {}) })}`;

export const portPath = (switchName: string, port: string) =>
  `${switchPath(switchName)}?port=${encodeURIComponent(port)}`;

export const endpointPath = (mac: string) => `/endpoints/${encodeURIComponent(mac)}`;

export const findingPath = (id: number) => `/findings/${id}`;

export const vlanPath = (id: number) => `/vlans/${id}`;

/** The map with the path to an endpoint on it. */
export const mapPath = (mac?: string) => (mac ? `/map?mac=${encodeURIComponent(mac)}` : "/map");

export const endpointsPath = (words = "") =>
  words ? `/endpoints?q=${encodeURIComponent(words)}` : "/endpoints";

/** What differs between two instants; the second is now unless given. */
export const comparePath = (since: string, until?: string) =>
  `/compare?${new URLSearchParams({ since, ...(until ? { until } : {}) })}`;

export const mapOf = (what: "vlan" | "finding", number: number) => `/map?${what}=${number}`;

/** A list as a file; `shape` is the file's ending. */
export const exportPath = (list: string, shape: string, filters: ExportFilter = {}) =>
  `/api/v1/exports/${list}.${shape}?${new URLSearchParams(
    Object.entries(filters).flatMap(([name, value]) => [value].flat().map((one) => [name, one])),
  )}`;

/** A view as of an instant; as of now without one. */
export const withAt = (path: string, at?: string) =>
  at ? `${path}${path.includes("?") ? "&" : "?"}at=${encodeURIComponent(at)}` : path;

export const reportPath = (name: string) => `/api/v1/switches/${encodeURIComponent(name)}/report`;
