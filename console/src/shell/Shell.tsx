// The frame of every view: name, navigation, connection state, light or dark.
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Moon, Sun } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { Link, NavLink, Outlet } from "react-router";
import { api, need } from "../api/client";
import { useLive } from "../api/live";
import { toggleMode, useMode } from "../app/colorMode";
import { QuickFind } from "../find/QuickFind";
import { useSession } from "../session/useSession";
import { Kite } from "./Kite";

const BarLink = chakra(NavLink, {
  base: {
    padding: "4px 10px",
    borderRadius: "5px",
    color: "ink",
    textDecoration: "none",
    "&.active": { bg: "tint", fontWeight: 700 },
  },
});

const BarButton = chakra("button", {
  base: { padding: "4px 10px", borderRadius: "5px", cursor: "pointer", color: "ink", _hover: { bg: "tint" } },
});

export function Shell() {
  const live = useLive();
  const mode = useMode();
  const client = useQueryClient();
  const [finding, setFinding] = useState(false);
  useSearchKey(() => setFinding(true));
  const lost = useLost(live);
  const session = useSession();
  const signOut = useMutation({
    mutationFn: () => need(api.DELETE("/api/v1/session")),
    onSuccess: () => client.resetQueries(),
  });
  return (
    <>
      <Flex
        as="header"
        align="center"
        gap="8px"
        padding="8px 24px"
        bg="sheet"
        borderBottom="1px solid"
        borderColor="line"
      >
        <Link to="/" aria-label="Kite Roll, find">
          <Flex align="center" gap="8px" fontWeight={700} fontSize="18px" marginRight="16px">
            <Kite size={26} /> Kite Roll
          </Flex>
        </Link>
        <Flex as="nav" gap="4px" aria-label="views">
          <BarLink to="/" end>
            Today
          </BarLink>
          <BarLink to="/findings">Findings</BarLink>
          <BarLink to="/switches">Switches</BarLink>
          <BarLink to="/map">Map</BarLink>
          <BarLink to="/vlans">VLANs</BarLink>
          <BarLink to="/roll-call">Roll call</BarLink>
          <BarLink to="/rules">Rules</BarLink>
          <BarLink to="/compare">Compare</BarLink>
          <BarLink to="/service">Service</BarLink>
        </Flex>
        <BarButton type="button" marginLeft="auto" fontSize="13px" onClick={() => setFinding(true)}>
          Find <kbd>/</kbd>
        </BarButton>
        <chakra.span role="status" fontSize="13px" color={live ? "good" : "warn"} padding="0 8px">
          {live ? "● live" : "◌ not live, trying"}
        </chakra.span>
        <BarButton
          type="button"
          onClick={toggleMode}
          aria-label={mode === "dark" ? "light colours" : "dark colours"}
        >
          {mode === "dark" ? <Sun size={18} /> : <Moon size={18} />}
        </BarButton>
        <BarLink to="/account">{session?.name}</BarLink>
        <BarButton type="button" onClick={() => signOut.mutate()}>
          Sign out
        </BarButton>
      </Flex>
      {lost && (
        <Box padding="6px 24px" bg="tint" role="alert">
          The connection to the service is lost: what is shown may be old. It is tried again all the time.
        </Box>
      )}
      <Box as="main" padding="18px 24px 40px" maxWidth="1500px">
        <Outlet />
      </Box>
      <QuickFind open={finding} onClose={() => setFinding(false)} />
    </>
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

/** "/" goes to the search box of the page, or opens the quick search; Ctrl-K always opens it. */
function useSearchKey(open: () => void): void {
  const latest = useRef(open);
  latest.current = open;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const field =
        event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (event.key.toLowerCase() === "k" && (event.ctrlKey || event.metaKey) && !event.altKey) {
        event.preventDefault();
        latest.current();
        return;
      }
      if (event.key !== "/" || field || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      const box = document.querySelector<HTMLInputElement>("[data-search]");
      if (box) {
        box.focus();
        box.select();
      } else {
        latest.current();
      }
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, []);
}
