// The frame of every view: name, navigation, connection state, light or dark.
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Moon, Sun } from "lucide-react";
import { useEffect } from "react";
import { Link, NavLink, Outlet, useLocation, useNavigate } from "react-router";
import { api, need } from "../api/client";
import { useLive } from "../api/live";
import { toggleMode, useMode } from "../app/colorMode";
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
  useSearchKey();
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
        <chakra.span marginLeft="auto" color="soft" fontSize="13px">
          <kbd>/</kbd> find
        </chakra.span>
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
      <Box as="main" padding="18px 24px 40px" maxWidth="1500px">
        <Outlet />
      </Box>
    </>
  );
}

/** "/" goes to the search box from anywhere but another field. */
function useSearchKey(): void {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const field =
        event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (event.key !== "/" || field || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      const box = document.querySelector<HTMLInputElement>("[data-search]");
      if (box) {
        box.focus();
        box.select();
      } else if (pathname !== "/") {
        navigate("/");
      }
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, [navigate, pathname]);
}
