// The typed API client. A problem document becomes a `ServiceProblem`.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Endpoint = Schemas["Endpoint"];
export type Place = Schemas["Place"];
export type Stay = Schemas["Stay"];
export type Switch = Schemas["Switch"];
export type Port = Schemas["Port"];
export type Finding = Schemas["Finding"];
export type Hop = Schemas["Hop"];
export type NetworkMap = Schemas["NetworkMap"];
export type MapLink = Schemas["MapLink"];
export type QuietTime = Schemas["QuietTime"];
export type ReadingPause = Schemas["ReadingPause"];
export type MapSwitch = Schemas["MapSwitch"];
export type Difference = Schemas["Difference"];
export type Round = Schemas["Round"];
export type Change = Schemas["Change"];

export class ServiceProblem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    detail: string,
    /** What is wrong, field by field. */
    readonly errors: Schemas["FieldProblem"][] = [],
  ) {
    super(detail);
  }
}

/** What is wrong with a field, by the last part of its name; "" when nothing is. */
export function fieldError(error: Error | null, name: string): string {
  if (!(error instanceof ServiceProblem)) return "";
  return error.errors
    .filter((one) => one.where.split(".").includes(name))
    .map((one) => one.what)
    .join("; ");
}

export const api = createClient<paths>({ baseUrl: location.origin });

type Result<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer; throws a ServiceProblem for anything else. */
export async function need<T>(asked: Promise<Result<T>>): Promise<T> {
  let result: Result<T>;
  try {
    result = await asked;
  } catch (cause) {
    if (cause instanceof DOMException && cause.name === "AbortError") throw cause;
    throw new ServiceProblem(
      0,
      "The service does not answer",
      "It may be stopped, or the network in between is down.",
    );
  }
  if (result.data !== undefined) return result.data;
  const problem = (result.error ?? {}) as Partial<Schemas["Problem"]>;
  const { status } = result.response;
  throw new ServiceProblem(
    status,
    problem.title ?? `Status ${status}`,
    problem.detail ?? "The service gave no details.",
    problem.errors,
  );
}

type Paging = { limit: number; cursor?: string };
const MOST_ROWS = 1000;

/** Every row of a list, page after page. */
export async function every<T>(
  fetchPage: (paging: Paging) => Promise<Result<{ items: T[]; next?: string | null }>>,
): Promise<T[]> {
  const rows: T[] = [];
  let cursor: string | undefined;
  do {
    const page = await need(fetchPage(cursor ? { limit: MOST_ROWS, cursor } : { limit: MOST_ROWS }));
    rows.push(...page.items);
    cursor = page.next ?? undefined;
  } while (cursor);
  return rows;
}

/** The same as one page that has all rows. */
export async function whole<T>(
  fetchPage: (paging: Paging) => Promise<Result<{ items: T[]; next?: string | null }>>,
): Promise<{ items: T[]; next: null }> {
  return { items: await every(fetchPage), next: null };
}
