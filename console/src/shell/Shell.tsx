// The frame of every page: name, parts, find, the instant shown, connection state, who is signed in.
import { Box, chakra, Flex, Skeleton } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Search } from "lucide-react";
import { lazy, Suspense, useEffect, useState } from "react";
import { Link, Outlet, useSearchParams } from "react-router";
import { api, need } from "../api/client";
import { useLive } from "../api/live";
import { usePreference } from "../app/preferences";
import { useSession } from "../session/useSession";
import { Instant, instantOf } from "../shared/instant";
import { Kite } from "../shared/Kite";
import { AsOf, PastNotice, usePast } from "./AsOf";
import { Navigation } from "./Navigation";
import { PersonMenu } from "./PersonMenu";
import { Toasts } from "./Toasts";
import { useSearchKey } from "./useSearchKey";

const QuickFind = lazy(() => import("../find/QuickFind").then((all) => ({ default: all.QuickFind })));

/** Where the stream was when the service sent this page: some of what the page shows is fetched along with it. */
const SENT_BEHIND = document.querySelector<HTMLMetaElement>("meta[name=latest-event]")?.content ?? "";

export function Shell() {
  const session = useSession();
  const { connected, standstill } = useLive(SENT_BEHIND || session?.latest_event);
  const live = connected && !standstill;
  const client = useQueryClient();
  const [finding, setFinding] = useState(false);
  useSearchKey(() => setFinding(true));
  const lost = useLost(live);
  const at = instantOf(useSearchParams()[0]);
  // Ages on a page that shows the present count back from now.
  const shown = usePast() === undefined ? undefined : at;
  const zone = usePreference("zone");
  const signOut = useMutation({
    mutationFn: () => need(api.DELETE("/api/v1/session")),
    onSuccess: () => client.resetQueries(),
  });
  return (
    <Instant.Provider value={at}>
      <chakra.a
        href="#main"
        position="absolute"
        left="-999px"
        _focus={{ left: "8px", top: "8px", bg: "sheet", padding: "6px 10px", zIndex: 10 }}
      >
        Skip to the page
      </chakra.a>
      <Flex
        as="header"
        align="center"
        gap="6px"
        padding={{ base: "6px 10px", lg: "7px 24px" }}
        bg="sheet"
        borderBottom="1px solid"
        borderColor="line"
        _print={{ display: "none" }}
      >
        <Link to="/" aria-label="Kite Roll, find">
          <Flex
            align="center"
            gap="8px"
            fontWeight={700}
            fontSize="18px"
            marginRight="8px"
            whiteSpace="nowrap"
          >
            <Kite size={26} /> <chakra.span hideBelow="sm">Kite Roll</chakra.span>
          </Flex>
        </Link>
        <Navigation key={zone} />
        <chakra.button
          type="button"
          marginLeft="auto"
          display="flex"
          alignItems="center"
          gap="8px"
          padding="4px 10px"
          minWidth={{ base: "0", xl: "150px" }}
          border="1px solid"
          borderColor="line"
          borderRadius="5px"
          color="soft"
          cursor="pointer"
          onClick={() => setFinding(true)}
        >
          <Search size={15} aria-hidden /> Find <chakra.kbd hideBelow="md">/</chakra.kbd>
        </chakra.button>
        <AsOf key={zone} />
        <chakra.span
          role="status"
          fontSize="13px"
          color={live ? "good" : "warn"}
          padding="0 4px"
          whiteSpace="nowrap"
          title={
            live
              ? "what changes shows at once"
              : standstill
                ? `the service that tracks is not heard here: ${standstill}`
                : "the live stream is away; it is tried again"
          }
        >
          {live ? "●" : "◌"} <chakra.span hideBelow="sm">{live ? "live" : "not live"}</chakra.span>
        </chakra.span>
        <PersonMenu name={session?.name ?? ""} signOut={() => signOut.mutate()} />
      </Flex>
      {lost && (
        <Box padding="6px 24px" bg="mark" role="alert">
          {connected
            ? `The service that tracks is not heard here (${standstill}): what is shown stands still until it is.`
            : "The connection to the service is lost: what is shown may be old. It is tried again all the time."}
        </Box>
      )}
      <PastNotice />
      <Box as="main" id="main" padding={{ base: "12px 10px 40px", lg: "16px 24px 40px" }} maxWidth="1680px">
        <Suspense fallback={<Skeleton height="200px" aria-label="loading" />}>
          <Instant.Provider value={shown}>
            <Outlet key={zone} />
          </Instant.Provider>
        </Suspense>
      </Box>
      <Toasts />
      <Suspense>{finding && <QuickFind open onClose={() => setFinding(false)} />}</Suspense>
    </Instant.Provider>
  );
}

const LOST_MS = 6_000;

/** Whether the live stream has been away for longer than a reconnection takes. */
function useLost(live: boolean): boolean {
  const [lost, setLost] = useState(false);
  useEffect(() => {
    if (live) {
      setLost(false);
      return;
    }
    const timer = setTimeout(() => setLost(true), LOST_MS);
    return () => clearTimeout(timer);
  }, [live]);
  return lost;
}
