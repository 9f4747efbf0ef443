// Filters typed as words: vlan:20 switch:quay-* maker:"north sea" life:quiet since:2d. Without rendering.

import type { ExportFilter } from "../shared/links";

export type EndpointFilter = {
  switch?: string;
  port?: string;
  vlan?: number;
  site?: string;
  group?: string;
  maker?: string;
  life?: Life[];
  confidence?: Confidence[];
  since?: string;
};
type Life = "present" | "quiet" | "gone";
type Confidence = "sure" | "likely" | "doubtful" | "none";

const LIVES: readonly string[] = ["present", "quiet", "gone"];
const CONFIDENCES: readonly string[] = ["sure", "likely", "doubtful", "none"];
const UNIT_MS: Record<string, number> = { s: 1e3, m: 6e4, h: 36e5, d: 864e5, w: 6048e5 };

export const FILTER_WORDS = [
  "vlan",
  "switch",
  "port",
  "site",
  "group",
  "maker",
  "life",
  "confidence",
  "since",
];

export type Read = { filter: EndpointFilter; problems: string[]; rest: string };

/** What the words ask for. `rest`: words that are no filter. `now`: milliseconds, for spans. */
export function readWords(text: string, now: number): Read {
  const filter: EndpointFilter = {};
  const problems: string[] = [];
  const rest: string[] = [];
  for (const word of text.match(/[^\s"]*"[^"]*"?|\S+/g) ?? []) {
    const cut = word.indexOf(":");
    const name = word.slice(0, cut).toLowerCase();
    if (cut < 1 || !FILTER_WORDS.includes(name)) {
      rest.push(word);
      continue;
    }
    const value = word.slice(cut + 1).replaceAll('"', "");
    const problem = value === "" ? `${name}: has no value` : put(filter, name, value, now);
    if (problem) problems.push(problem);
  }
  if (filter.port && !filter.switch) problems.push("port: needs switch: too");
  return { filter, problems, rest: rest.join(" ") };
}

/** Puts one value into the filter; says what is wrong with it. */
function put(filter: EndpointFilter, name: string, value: string, now: number): string {
  if (name === "vlan") {
    const vlan = Number(value);
    if (!Number.isInteger(vlan) || vlan < 1 || vlan > 4094) return `vlan:${value} is not between 1 and 4094`;
    filter.vlan = vlan;
  } else if (name === "life" || name === "confidence") {
    const known = name === "life" ? LIVES : CONFIDENCES;
    const wrong = value.split(",").find((one) => !known.includes(one));
    if (wrong !== undefined) return `${name}:${wrong} is none of ${known.join(", ")}`;
    if (name === "life") filter.life = value.split(",") as Life[];
    else filter.confidence = value.split(",") as Confidence[];
  } else if (name === "since") {
    const back = /^(\d+)([smhdw])$/.exec(value);
    const at = back ? now - Number(back[1]) * (UNIT_MS[back[2] ?? ""] ?? 0) : Date.parse(value);
    if (Number.isNaN(at)) return `since:${value} is neither a span like 2d nor a date`;
    filter.since = new Date(at).toISOString();
  } else {
    filter[name as "switch" | "port" | "site" | "group" | "maker"] = value;
  }
  return "";
}

/** The filter as the query of an export. */
export function exportFilter(filter: EndpointFilter): ExportFilter {
  const found: ExportFilter = {};
  for (const [name, value] of Object.entries(filter)) {
    if (value !== undefined) found[name] = Array.isArray(value) ? value : String(value);
  }
  return found;
}
