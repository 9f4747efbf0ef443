// A query in all its states: loading, loaded, out of date, failed.
import { Box, Button, chakra, Flex, Skeleton } from "@chakra-ui/react";
import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { ServiceProblem } from "../api/client";
import { Age } from "./Age";

// Uneven widths, like text.
const WIDTHS = [92, 78, 64, 50, 91, 77, 63, 49, 90, 76, 62, 48].map((share) => `${share}%`);

export function QueryView<T>({
  query,
  children,
  rows = 6,
  cutTold = false,
}: {
  query: UseQueryResult<T, Error>;
  children: (data: T) => ReactNode;
  rows?: number;
  /** The children say themselves that there is more. */
  cutTold?: boolean;
}) {
  const cut = cutTold ? null : shownOfMore(query.data);
  if (query.data !== undefined) {
    return (
      <>
        {query.error && (
          <Notice tone="warn">
            Shown as of <Age at={new Date(query.dataUpdatedAt).toISOString()} ago />; asking again failed:{" "}
            {query.error.message}
          </Notice>
        )}
        {children(query.data)}
        {cut !== null && (
          <Notice tone="soft">The first {cut} are shown; there are more. An export has all of them.</Notice>
        )}
      </>
    );
  }
  if (query.error) return <ErrorNotice error={query.error} again={() => void query.refetch()} />;
  return <Waiting rows={rows} />;
}

/** In place of what is not there yet. */
export function Waiting({ rows }: { rows: number }) {
  return (
    <Box padding="14px" role="status" aria-label="loading">
      {WIDTHS.slice(0, rows).map((width) => (
        <Skeleton key={width} height="14px" marginBottom="12px" width={width} />
      ))}
    </Box>
  );
}

/** Of a page with a next one: how many rows it has. No list may look whole that is not. */
export function shownOfMore(data: unknown): number | null {
  if (typeof data !== "object" || data === null || !("items" in data) || !("next" in data)) return null;
  return data.next && Array.isArray(data.items) ? data.items.length : null;
}

export function ErrorNotice({ error, again }: { error: Error; again?: () => void }) {
  const title = error instanceof ServiceProblem ? error.title : "Something went wrong";
  return (
    <Flex role="alert" gap="16px" align="center" padding="16px" borderLeft="4px solid" borderColor="bad">
      <Box flex="1">
        <chakra.strong display="block">{title}</chakra.strong>
        {error.message}
      </Box>
      {again && (
        <Button size="sm" variant="outline" onClick={again}>
          Try again
        </Button>
      )}
    </Flex>
  );
}

/** What no field of a form says for itself. */
export function FormError({ error, fields }: { error: Error | null; fields: string[] }) {
  if (!error) return null;
  const atFields =
    error instanceof ServiceProblem &&
    error.errors.length > 0 &&
    error.errors.every((one) => fields.some((name) => one.where.split(".").includes(name)));
  return atFields ? (
    <Notice tone="bad">Please correct what is marked above.</Notice>
  ) : (
    <ErrorNotice error={error} />
  );
}

export function Notice({ tone, children }: { tone: "warn" | "bad" | "soft"; children: ReactNode }) {
  return (
    <Box
      role="status"
      padding="8px 12px"
      borderLeft="4px solid"
      borderColor={tone}
      color={tone === "soft" ? "soft" : "ink"}
    >
      {children}
    </Box>
  );
}

export function Nothing({ children }: { children: ReactNode }) {
  return (
    <Box role="status" padding="22px 14px" color="soft">
      {children}
    </Box>
  );
}
