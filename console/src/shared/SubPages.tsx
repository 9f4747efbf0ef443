// Links to the pages of one part of the console.
import { chakra, Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { NavLink } from "react-router";

export const SubPage = chakra(NavLink, {
  base: {
    padding: "5px 12px",
    border: "1px solid",
    borderColor: "line",
    borderRadius: "5px",
    bg: "sheet",
    color: "ink",
    textDecoration: "none",
    "&.active": { bg: "tint", fontWeight: 700 },
  },
});

export function SubPages({ about, children }: { about: string; children: ReactNode }) {
  return (
    <Flex as="nav" gap="8px" wrap="wrap" margin="0 0 14px" aria-label={about}>
      {children}
    </Flex>
  );
}
