// Confirmations of what was done: what a mutation says of itself in `meta.done`, shown in a corner for some seconds.
import { MutationCache } from "@tanstack/react-query";

declare module "@tanstack/react-query" {
  interface Register {
    mutationMeta: { done?: string };
  }
}

type Listener = (text: string) => void;
const listeners = new Set<Listener>();

/** Returns how to stop listening. */
export function onConfirmation(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export function confirm(text: string): void {
  for (const listener of listeners) listener(text);
}

/** Of the query client: confirms each change that was made. Failures stay where they happened. */
export const confirmingMutations = () =>
  new MutationCache({
    onSuccess: (_data, _variables, _result, mutation) => {
      if (mutation.meta?.done) confirm(mutation.meta.done);
    },
  });
