// The front of a switch, as it is: blocks for members and modules, odd ports above even ones. Each port is told
// apart by border, sign and number, not by colour alone.
import { Box, chakra, Flex } from "@chakra-ui/react";
import { memo } from "react";
import type { Port } from "../api/client";
import { frontBlocks, type PortMark, type PortUse, USE_WORDS } from "./model";

const SIGNS: Record<PortUse, string> = {
  uplink: "⇄",
  "in use": "",
  quiet: "◐",
  silent: "∅",
  shut: "✕",
  down: "",
  idle: "",
};
/** Ports of a block stand in two rows from this many on. */
const TWO_ROWS = 16;

/** Styled by the one parent: a hundred ports with styles of their own take long to draw. */
const FACE = {
  "& button": {
    position: "relative",
    width: "62px",
    height: "42px",
    padding: "2px 4px",
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
  "& .name": { display: "block", fontSize: "12px", whiteSpace: "nowrap", overflow: "hidden" },
  "& .count": { fontWeight: 700, fontSize: "14px" },
  "& .marks": { position: "absolute", right: "3px", bottom: "2px", fontSize: "12px", fontWeight: 700 },
  "& .finding": { color: "bad" },
  "& .rule": { color: "kite" },
} as const;

const NO_MARK: PortMark = { findings: [], rule: false };

export function PortFace(props: {
  ports: Port[];
  marks: Map<string, PortMark>;
  chosen: string | null;
  choose: (name: string | null) => void;
}) {
  const { ports, marks, chosen, choose } = props;
  const uses = new Set(ports.map((port) => port.use));
  const shown = ports.flatMap((port) => marks.get(port.name) ?? []);
  return (
    <>
      <Box
        role="group"
        aria-label="ports"
        padding="12px"
        overflowX="auto"
        display="flex"
        flexWrap="wrap"
        gap="10px 22px"
        css={FACE}
        onClick={(event) => {
          const name = (event.target as HTMLElement).closest("button")?.dataset.port;
          if (name) choose(name === chosen ? null : name);
        }}
      >
        {frontBlocks(ports).map((block) => (
          <Box key={block.name} role="group" aria-label={block.name || "front"}>
            {block.name && (
              <chakra.div color="soft" fontSize="13px" marginBottom="3px">
                {block.name}
              </chakra.div>
            )}
            <Box
              display="grid"
              gap="4px"
              gridAutoFlow={{ base: "row", md: "column" }}
              gridTemplateColumns={{ base: "repeat(5, 62px)", md: "none" }}
              gridTemplateRows={{
                base: "none",
                md: block.ports.length >= TWO_ROWS ? "repeat(2, 42px)" : "42px",
              }}
            >
              {block.ports.map((port) => (
                <PortCell
                  key={port.name}
                  port={port}
                  place={block.name}
                  mark={marks.get(port.name) ?? NO_MARK}
                  chosen={port.name === chosen}
                />
              ))}
            </Box>
          </Box>
        ))}
      </Box>
      <Flex gap="4px 18px" wrap="wrap" padding="0 12px 10px" color="soft" fontSize="13px">
        {(Object.keys(USE_WORDS) as PortUse[])
          .filter((use) => uses.has(use))
          .map((use) => (
            <span key={use}>
              <chakra.b color="ink">{SIGNS[use] || (use === "in use" ? "1" : "–")}</chakra.b> {USE_WORDS[use]}
            </span>
          ))}
        {shown.some((one) => one.findings.length > 0) && (
          <span>
            <chakra.b color="bad">▲</chakra.b> open finding
          </span>
        )}
        {shown.some((one) => one.rule) && (
          <span>
            <chakra.b color="kite">§</chakra.b> rule broken
          </span>
        )}
      </Flex>
    </>
  );
}

/** Drawn again only when the port differs: readings come all the time. */
const PortCell = memo(function PortCell(props: {
  port: Port;
  place: string;
  mark: PortMark;
  chosen: boolean;
}) {
  const { port, place, mark, chosen } = props;
  const { use } = port;
  const count = use === "down" ? "–" : port.present + port.quiet || "";
  const name = place ? port.name.slice(place.length).replace(/^\W+/, "") : port.name;
  const words = [
    port.alias || "no label",
    USE_WORDS[use],
    `${port.present} present, ${port.quiet} quiet`,
    ...mark.findings,
    ...(mark.rule ? ["a rule is broken"] : []),
  ].join(", ");
  return (
    <button
      type="button"
      data-use={use}
      data-chosen={chosen || undefined}
      aria-pressed={chosen}
      title={words}
      aria-label={`${name} ${count}, ${words}`}
      data-port={port.name}
    >
      <span className="name">{name}</span>
      <span className="count">
        <span aria-hidden>{SIGNS[use]}</span> {count}
      </span>
      {(mark.findings.length > 0 || mark.rule) && (
        <span className="marks" aria-hidden>
          {mark.findings.length > 0 && <span className="finding">▲</span>}
          {mark.rule && <span className="rule">§</span>}
        </span>
      )}
    </button>
  );
});
