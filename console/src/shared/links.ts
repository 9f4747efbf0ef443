// URLs of the console: every view has one, and only this file writes them.

export const switchPath = (name: string) => `/switches/${encodeURIComponent(name)}`;

export const portPath = (switchName: string, port: string) =>
  `${switchPath(switchName)}?port=${encodeURIComponent(port)}`;

export const endpointPath = (mac: string) => `/endpoints/${encodeURIComponent(mac)}`;

export const findingPath = (id: number) => `/findings/${id}`;

export const vlanPath = (id: number) => `/vlans/${id}`;

/** The map with the path to an endpoint on it. */
export const mapPath = (mac?: string) => (mac ? `/map?mac=${encodeURIComponent(mac)}` : "/map");

/** A list as a file; `shape` is the file's ending. */
export const exportPath = (list: string, shape: string, filters: Record<string, string> = {}) =>
  `/api/v1/exports/${list}.${shape}?${new URLSearchParams(filters)}`;

/** A view as of an instant; as of now without one. */
export const withAt = (path: string, at?: string) =>
  at ? `${path}${path.includes("?") ? "&" : "?"}at=${encodeURIComponent(at)}` : path;

export const reportPath = (name: string) => `/api/v1/switches/${encodeURIComponent(name)}/report`;
