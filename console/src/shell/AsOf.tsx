// The instant that every page shows: chosen in the header, kept in the URL, shown plainly.
import { Box, Button, chakra, Flex, Popover, Portal } from "@chakra-ui/react";
import { Clock } from "lucide-react";
import { lazy, Suspense, useState } from "react";
import { useMatches } from "react-router";
import { useAt } from "../shared/instant";
import { fullTime, shortTime } from "../shared/time";
import { Unread } from "../shared/Unread";
import { usePutParam } from "../shared/usePutParam";

const InstantChoice = lazy(() => import("./InstantChoice").then((all) => ({ default: all.InstantChoice })));

/** What a route says of the past: what stays as it is now while it shows another instant. */
export type RouteHandle = { past: string };

export function AsOf() {
  const at = useAt();
  const put = usePutParam();
  const [open, setOpen] = useState(false);
  const choose = (instant: string) => put("at", instant);
  return (
    <Popover.Root lazyMount unmountOnExit open={open} onOpenChange={(change) => setOpen(change.open)}>
      <Popover.Trigger asChild>
        <chakra.button
          type="button"
          display="flex"
          alignItems="center"
          gap="6px"
          padding="4px 9px"
          borderRadius="5px"
          fontSize="13px"
          whiteSpace="nowrap"
          bg={at ? "mark" : undefined}
          fontWeight={at ? 700 : 500}
          cursor="pointer"
          _hover={{ bg: at ? "mark" : "tint" }}
        >
          <Clock size={15} aria-hidden /> {at ? `as of ${shortTime(at)}` : "as of now"}
        </chakra.button>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content padding="14px" width="320px" aria-label="instant to show">
            <Suspense>
              <InstantChoice at={at} choose={choose} done={() => setOpen(false)} />
            </Suspense>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}

/** What the page that is shown says of the past; undefined for one that always shows the present. */
export function usePast(): string | undefined {
  return useMatches()
    .map((match) => match.handle as RouteHandle | undefined)
    .find((one) => one?.past !== undefined)?.past;
}

/** Says that this is the past, or that this page cannot show it. */
export function PastNotice() {
  const at = useAt();
  const put = usePutParam();
  const past = usePast();
  if (!at) return null;
  return (
    <Flex padding="6px 24px" bg="mark" role="status" align="center" gap="6px 14px" wrap="wrap">
      <Box flex="1" minWidth="240px">
        {past !== undefined ? (
          <>
            This is <strong>as of {fullTime(at)}</strong>, not now. Ages count back from then. {past}{" "}
            <Unread at={at} />
          </>
        ) : (
          <>
            <strong>This page shows what is now.</strong> The instant chosen above, {fullTime(at)}, holds for
            pages that can show the past.
          </>
        )}
      </Box>
      <Button size="xs" variant="outline" bg="sheet" onClick={() => put("at", null)}>
        Back to now
      </Button>
    </Flex>
  );
}
