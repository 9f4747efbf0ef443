// What is chosen on a page, kept in its URL; an empty value takes the name out of it.
import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** `replace`: going back in the browser passes over the choice. */
export function usePutParam({ replace = false }: { replace?: boolean } = {}) {
  const [, setParams] = useSearchParams();
  return useCallback(
    (name: string, value: string | null) =>
      setParams(
        (before) => {
          const next = new URLSearchParams(before);
          if (value) next.set(name, value);
          else next.delete(name);
          return next;
        },
        { replace },
      ),
    [setParams, replace],
  );
}
