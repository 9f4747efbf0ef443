// Who is signed in, and what they may do.
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { sessionQuery } from "../api/resources/session";

export type Right = NonNullable<Schemas["Session"]["rights"]>[number];

export function useSession(): Schemas["Session"] | undefined {
  return useQuery(sessionQuery).data;
}

export function useMay(right: Right): boolean {
  return useSession()?.rights?.includes(right) ?? false;
}
