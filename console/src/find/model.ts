// Logic of finding, without rendering.
import type { Schemas } from "../api/client";
import { endpointPath, portPath, switchPath, vlanPath } from "../shared/links";

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
  group: "endpoints" | "switches" | "ports" | "VLANs" | "pages";
  name: string;
  about: string;
  path: string;
};

const PAGES: [name: string, path: string][] = [
  ["Today", "/"],
  ["Findings", "/findings"],
  ["Switches", "/switches"],
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
  ["Compare two instants", "/compare"],
  ["Alerts", "/service"],
  ["Planned work", "/service/planned-work"],
  ["Settings", "/service/settings"],
  ["People", "/service/people"],
  ["Audit log", "/service/audit"],
  ["My account", "/account"],
];
const MOST_ENDPOINTS = 8;

/** What a text may mean, in groups; `data` is what the service found, once it has. */
export function answersOf(text: string, data: Schemas["SearchResult"] | undefined): Answer[] {
  if (text === "") return [];
  const wanted = text.toLowerCase();
  const endpoints = (data?.endpoints ?? []).slice(0, MOST_ENDPOINTS).map((one): Answer => {
    const place = one.home ?? one.places[0];
    const where = place ? `${place.switch} · ${place.port}` : "";
    return {
      group: "endpoints",
      name: one.mac,
      about: [one.label || one.host_names[0] || one.ips[0], where].filter(Boolean).join("  "),
      path: endpointPath(one.mac),
    };
  });
  const switches = (data?.switches ?? []).map(
    (one): Answer => ({ group: "switches", name: one.name, about: one.location, path: switchPath(one.name) }),
  );
  const ports = (data?.ports ?? []).map(
    (one): Answer => ({
      group: "ports",
      name: `${one.switch} · ${one.name}`,
      about: one.alias,
      path: portPath(one.switch, one.name),
    }),
  );
  const number = /^(?:vlan[ :]?)?(\d{1,4})$/.exec(wanted)?.[1];
  const vlans: Answer[] =
    number && Number(number) >= 1 && Number(number) <= 4094
      ? [{ group: "VLANs", name: `VLAN ${Number(number)}`, about: "", path: vlanPath(Number(number)) }]
      : [];
  const pages = PAGES.filter(([name]) => name.toLowerCase().includes(wanted)).map(
    ([name, path]): Answer => ({ group: "pages", name, about: "", path }),
  );
  return [...endpoints, ...switches, ...ports, ...vlans, ...pages];
}
