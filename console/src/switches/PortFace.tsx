// The switch drawn as its ports: one cell each, distinguished by border, sign and number, not colour alone.
import { chakra, Flex, Grid } from "@chakra-ui/react";
import type { Port } from "../api/client";
import { type PortUse, USE_WORDS } from "./model";

const SIGNS: Record<PortUse, string> = {
  uplink: "⇄",
  "in use": "",
  quiet: "◐",
  silent: "∅",
  shut: "✕",
  down: "",
  idle: "",
};

const Cell = chakra("button", {
  base: {
    height: "46px",
    padding: "3px 5px",
    borderRadius: "4px",
    border: "1px solid",
    borderColor: "line",
    bg: "sheet",
    cursor: "pointer",
    textAlign: "left",
    lineHeight: "1.15",
    "&[data-use='in use']": { borderColor: "good", boxShadow: "inset 0 3px 0 var(--chakra-colors-good)" },
    "&[data-use=uplink]": {
      borderColor: "tarn",
      boxShadow: "inset 0 3px 0 var(--chakra-colors-tarn)",
      bg: "tint",
    },
    "&[data-use=quiet], &[data-use=silent]": {
      borderColor: "warn",
      boxShadow: "inset 0 3px 0 var(--chakra-colors-warn)",
    },
    "&[data-use=shut]": { borderColor: "bad", borderStyle: "dashed" },
    "&[data-use=down], &[data-use=idle]": { borderStyle: "dashed", color: "soft", bg: "transparent" },
    "&[data-chosen]": { outline: "3px solid", outlineColor: "kite", outlineOffset: "1px" },
  },
});

export function PortFace(props: {
  ports: Port[];
  chosen: string | null;
  choose: (name: string | null) => void;
}) {
  const { ports, chosen, choose } = props;
  const uses = new Set(ports.map((port) => port.use));
  return (
    <>
      <Grid
        templateColumns={{ base: "repeat(6, 1fr)", md: "repeat(12, 1fr)" }}
        gap="5px"
        padding="12px"
        maxWidth="1000px"
        role="group"
        aria-label="ports"
      >
        {ports.map((port) => {
          const { use } = port;
          const count = port.present + port.quiet;
          const words = `${port.alias || "no label"}, ${USE_WORDS[use]}, ${port.present} present, ${port.quiet} quiet`;
          return (
            <Cell
              key={port.name}
              type="button"
              data-use={use}
              data-chosen={port.name === chosen || undefined}
              aria-pressed={port.name === chosen}
              title={words}
              onClick={() => choose(port.name === chosen ? null : port.name)}
            >
              <chakra.span display="block" fontSize="12px">
                {port.name}
              </chakra.span>
              <chakra.span fontWeight={700} fontSize="14px">
                <span aria-hidden>{SIGNS[use]}</span> {use === "down" ? "–" : count || ""}
              </chakra.span>
              <chakra.span srOnly>, {words}</chakra.span>
            </Cell>
          );
        })}
      </Grid>
      <Flex gap="18px" wrap="wrap" padding="0 12px 10px" color="soft" fontSize="13px">
        {(Object.keys(USE_WORDS) as PortUse[])
          .filter((use) => uses.has(use))
          .map((use) => (
            <span key={use}>
              <chakra.b color="ink">{SIGNS[use] || (use === "in use" ? "1" : "–")}</chakra.b> {USE_WORDS[use]}
            </span>
          ))}
      </Flex>
    </>
  );
}
