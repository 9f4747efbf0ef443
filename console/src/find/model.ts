// Logic of finding, without rendering.
import type { Finding, Schemas, Switch } from "../api/client";
import { readWords } from "../endpoints/words";
import { endpointPath, endpointsPath, findingPath, portPath, switchPath, vlanPath } from "../shared/links";

export type Piece = { text: string; hit: boolean };

/** Digits of a fragment as the service reads it, or null when the text is none. */
export function fragmentDigits(text: string): string | null {
  const stripped = text.trim().replace(/^0x/i, "");
  const groups = stripped.split(/[:\-. ]/).filter(Boolean);
  if (groups.length === 0 || groups.some((group) => !/^[0-9a-f]+$/i.test(group))) return null;
  const longest = Math.max(...groups.map((group) => group.length));
  const width = groups.length === 1 ? longest : [2, 4, 6].find((full) => longest <= full);
  if (width === undefined) return null;
  const last = groups.length - 1;
  return groups
    .map((group, at) => (at === 0 || at === last ? group : group.padStart(width, "0")))
    .join("")
    .toLowerCase();
}

/** An address cut where the fragment matches it, for marking; the match nearest its end, as ranked. */
export function markFragment(mac: string, text: string): Piece[] {
  const digits = fragmentDigits(text);
  const at = digits ? mac.replaceAll(":", "").lastIndexOf(digits) : -1;
  if (!digits || at < 0) return [{ text: mac, hit: false }];
  const place = (digit: number) => digit + Math.floor(digit / 2);
  const start = place(at);
  const end = place(at + digits.length - 1) + 1;
  return [
    { text: mac.slice(0, start), hit: false },
    { text: mac.slice(start, end), hit: true },
    { text: mac.slice(end), hit: false },
  ].filter((piece) => piece.text !== "");
}

/** The row chosen by an arrow key; -1 is the search box itself. */
export function step(current: number, key: string, rows: number): number {
  if (rows === 0) return -1;
  if (key === "ArrowDown") return Math.min(current + 1, rows - 1);
  if (key === "ArrowUp") return Math.max(current - 1, -1);
  return current;
}

/** Where the address comes from, in a sentence. */
export function originText(maker: string, origin: string): string {
  if (maker) return `Maker of the address: ${maker}.`;
  if (origin === "likely random") return "The address is probably random, made up by the device.";
  if (origin === "local") return "A locally administered address.";
  return "No maker is registered for the address.";
}

export function vlanText(vlan: number | null, name: string): string {
  return vlan === null ? "not known" : `${vlan} ${name}`.trim();
}

export type Answer = {
  group: "endpoints" | "switches" | "ports" | "VLANs" | "findings" | "pages" | "actions";
  name: string;
  about: string;
  path: string;
};

const PAGES: [name: string, path: string][] = [
  ["Today", "/"],
  ["Endpoints", "/endpoints"],
  ["Findings", "/findings"],
  ["Switches", "/switches"],
  ["Discovered switches", "/inventory/discovered"],
  ["Credentials", "/inventory/credentials"],
  ["Collectors", "/inventory/collectors"],
  ["Sites and groups", "/inventory/places"],
  ["Shared addresses and makers", "/inventory/addresses"],
  ["Links to devices and mappings", "/inventory/links"],
  ["Map", "/map"],
  ["VLANs", "/vlans"],
  ["Roll call", "/roll-call"],
  ["Rules of ports", "/rules"],
  ["Rules by level", "/rules/levels"],
  ["Enrolment windows", "/rules/enrolment"],
  ["Barred addresses", "/rules/barred"],
  ["Closed ports", "/rules/closed"],
  ["Rehearsal", "/rules/rehearsal"],
  ["Log of rules", "/rules/log"],
  ["Changes", "/history"],
  ["Readings", "/history/readings"],
  ["Compare two instants", "/compare"],
  ["Alerts", "/service"],
  ["Planned work", "/service/planned-work"],
  ["Settings", "/service/settings"],
  ["Service status", "/service/status"],
  ["People", "/service/people"],
  ["Audit log", "/service/audit"],
  ["My account", "/account"],
];
const ACTIONS: [name: string, path: string][] = [
  ["Add a switch", "/switches?add=yes"],
  ["Import an inventory", "/inventory/import"],
  ["Compare with an hour ago", "/compare"],
  ["Rehearse changed rules", "/rules/rehearsal"],
];
const MOST_ENDPOINTS = 8;

const MOST_FINDINGS = 5;

/** What a text may mean, in groups; `data` is what the service found, once it has; `findings`: those open. */
export function answersOf(
  text: string,
  data: Schemas["SearchResult"] | undefined,
  findings: Finding[] = [],
): Answer[] {
  if (text === "") return [];
  const wanted = text.toLowerCase();
  const pages = PAGES.filter(([name]) => name.toLowerCase().includes(wanted)).map(
    ([name, path]): Answer => ({ group: "pages", name, about: "", path }),
  );
  const actions = ACTIONS.filter(([name]) => name.toLowerCase().includes(wanted)).map(
    ([name, path]): Answer => ({ group: "actions", name, about: "", path }),
  );
  return [
    ...listAnswers(text, data),
    ...endpointAnswers(data),
    ...(data?.switches ?? []).map(
      (one): Answer => ({
        group: "switches",
        name: one.name,
        about: one.location,
        path: switchPath(one.name),
      }),
    ),
    ...(data?.ports ?? []).map(
      (one): Answer => ({
        group: "ports",
        name: `${one.switch} · ${one.name}`,
        about: one.alias,
        path: portPath(one.switch, one.name),
      }),
    ),
    ...vlanAnswers(wanted),
    ...findings
      .filter((one) => `${one.title} ${one.kind}`.toLowerCase().includes(wanted))
      .slice(0, MOST_FINDINGS)
      .map(
        (one): Answer => ({
          group: "findings",
          name: one.title,
          about: one.severity,
          path: findingPath(one.id),
        }),
      ),
    ...pages,
    ...actions,
  ];
}

/** Filters typed as words, and pasted lists, lead to a list of endpoints. */
function listAnswers(text: string, data: Schemas["SearchResult"] | undefined): Answer[] {
  const { filter, rest, problems } = readWords(text, Date.now());
  if (Object.keys(filter).length > 0 && problems.length === 0) {
    const about = rest ? `${rest} is not a filter` : "";
    return [{ group: "endpoints", name: `All with ${text}`, about, path: endpointsPath(text) }];
  }
  const parts = data?.texts.length ?? 0;
  if (parts < 2) return [];
  const hits = data?.texts.filter((one) => one.macs.length + one.switches.length > 0).length ?? 0;
  const about = `${hits} found`;
  return [
    { group: "endpoints", name: `All ${parts} of the list`, about, path: `/?q=${encodeURIComponent(text)}` },
  ];
}

function endpointAnswers(data: Schemas["SearchResult"] | undefined): Answer[] {
  return (data?.endpoints ?? []).slice(0, MOST_ENDPOINTS).map((one): Answer => {
    const place = one.home ?? one.places[0];
    const where = place ? `${place.switch} · ${place.port}` : "";
    return {
      group: "endpoints",
      name: one.mac,
      about: [one.label || one.host_names[0] || one.ips[0], where].filter(Boolean).join("  "),
      path: endpointPath(one.mac),
    };
  });
}

function vlanAnswers(wanted: string): Answer[] {
  const number = Number(/^(?:vlan[ :]?)?(\d{1,4})$/.exec(wanted)?.[1] ?? 0);
  if (number < 1 || number > 4094) return [];
  return [{ group: "VLANs", name: `VLAN ${number}`, about: "", path: vlanPath(number) }];
}

export type Freshness = "fresh" | "late" | "old" | "off";
/** Intervals without a complete reading, after which a switch is late, and then old. */
const LATE_AFTER = 2.5;
const OLD_AFTER = 10;

/** How old the latest complete reading of a switch is, by the interval it is read at. */
export function freshness(
  one: { enabled: boolean; source: string; read_at: string | null; interval_s: number },
  now: number,
): Freshness {
  if (!one.enabled || one.source === "files") return "off";
  if (!one.read_at) return "old";
  const intervals = (now - Date.parse(one.read_at)) / (1000 * one.interval_s);
  return intervals > OLD_AFTER ? "old" : intervals > LATE_AFTER ? "late" : "fresh";
}

export type OutOfDate = { site: string; count: number; of: number };

/** How many switches of each site are out of date, the most first; sites where all are read are left out. */
export function outOfDateBySite(watched: Pick<Switch, "site" | "healthy">[]): OutOfDate[] {
  const sites = new Map<string, OutOfDate>();
  for (const one of watched) {
    const found = sites.get(one.site) ?? { site: one.site, count: 0, of: 0 };
    sites.set(one.site, { ...found, count: found.count + (one.healthy ? 0 : 1), of: found.of + 1 });
  }
  return [...sites.values()]
    .filter((one) => one.count > 0)
    .sort((a, b) => b.count - a.count || a.site.localeCompare(b.site));
}
