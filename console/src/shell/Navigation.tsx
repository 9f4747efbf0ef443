// Links to the parts of the console: in a row where there is room, in a menu on a phone.
import { Box, chakra, Flex, Menu, Portal } from "@chakra-ui/react";
import { Menu as MenuIcon } from "lucide-react";
import { NavLink, useLocation, useNavigate } from "react-router";
import { useAt } from "../shared/instant";
import { withAt } from "../shared/links";

/** Each part, its path, and the beginnings of other paths that belong to it. */
const PARTS: [name: string, path: string, also: string[]][] = [
  ["Today", "/", []],
  ["Endpoints", "/endpoints", []],
  ["Switches", "/switches", ["/inventory"]],
  ["Findings", "/findings", []],
  ["Map", "/map", []],
  ["VLANs", "/vlans", []],
  ["Rules", "/rules", ["/roll-call"]],
  ["History", "/history", ["/compare"]],
  ["Service", "/service", []],
];

export const BarLink = chakra(NavLink, {
  base: {
    padding: "4px 9px",
    borderRadius: "5px",
    color: "ink",
    textDecoration: "none",
    whiteSpace: "nowrap",
    "&.active, &[data-here]": { bg: "tint", fontWeight: 700 },
  },
});

export function Navigation() {
  const at = useAt();
  const { pathname } = useLocation();
  const here = (also: string[]) => also.some((start) => pathname.startsWith(start)) || undefined;
  return (
    <>
      <Flex
        as="nav"
        gap="2px"
        aria-label="parts of the console"
        display={{ base: "none", lg: "flex" }}
        wrap="wrap"
      >
        {PARTS.map(([name, path, also]) => (
          <BarLink key={path} to={withAt(path, at)} end={path === "/"} data-here={here(also)}>
            {name}
          </BarLink>
        ))}
      </Flex>
      <Box as="nav" aria-label="parts of the console" display={{ base: "block", lg: "none" }}>
        <PhoneMenu at={at} />
      </Box>
    </>
  );
}

function PhoneMenu({ at }: { at: string | undefined }) {
  const navigate = useNavigate();
  return (
    <Menu.Root lazyMount unmountOnExit onSelect={({ value }) => navigate(withAt(value, at))}>
      <Menu.Trigger asChild>
        <chakra.button type="button" padding="8px" borderRadius="5px" aria-label="parts of the console">
          <MenuIcon size={20} />
        </chakra.button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content minWidth="180px">
            {PARTS.map(([name, path]) => (
              <Menu.Item key={path} value={path} padding="9px 12px" fontSize="15px">
                {name}
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
