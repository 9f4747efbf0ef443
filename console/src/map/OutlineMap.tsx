// The outline of a large network: rows to fold and unfold, chips for switches at the edge.
import { chakra } from "@chakra-ui/react";
import { useEffect, useMemo, useRef } from "react";
import { Link } from "react-router";
import type { Hop, MapLink, MapSwitch, NetworkMap } from "../api/client";
import { switchPath } from "../shared/links";
import { useDisclosureSet } from "../shared/useDisclosureSet";
import { type Branch, openAtFirst, openFor, outline } from "./outline";

type Shown = { open: Set<string>; toggle: (name: string) => void; hops: Map<string, Hop>; chosen: string };

export function OutlineMap({ map, path, chosen }: { map: NetworkMap; path: Hop[]; chosen: string }) {
  const { roots, alone, above } = useMemo(() => outline(map), [map]);
  const [turned, toggle] = useDisclosureSet();
  const hops = new Map(path.map((hop) => [hop.switch, hop]));
  const wanted = chosen || path.at(-1)?.switch || "";
  // With something to show, the branches that lead to it and no others, so that it fits on a screen.
  const open = wanted ? openFor([...hops.keys(), chosen], above) : openAtFirst(roots);
  for (const name of turned) if (!open.delete(name)) open.add(name);
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (wanted) box.current?.querySelector("[data-wanted]")?.scrollIntoView({ block: "center" });
  }, [wanted]);
  const shown = { open, toggle, hops, chosen: wanted };
  return (
    <chakra.div ref={box} padding="8px 12px 14px" css={STYLE}>
      <ul>
        {roots.map((root) => (
          <Row key={root.own.name} branch={root} shown={shown} />
        ))}
      </ul>
      {alone.length > 0 && (
        <>
          <chakra.p color="soft" margin="12px 0 4px">
            No cable to another switch is known:
          </chakra.p>
          <div className="chips">
            {alone.map((one) => (
              <Name key={one.name} own={one} cable={undefined} shown={shown} />
            ))}
          </div>
        </>
      )}
    </chakra.div>
  );
}

function Row({ branch, shown }: { branch: Branch; shown: Shown }) {
  const { own } = branch;
  const isOpen = shown.open.has(own.name);
  return (
    <li>
      <div className="row">
        {branch.behind > 0 ? (
          <button
            type="button"
            aria-expanded={isOpen}
            aria-label={`${branch.behind} behind ${own.name}`}
            onClick={() => shown.toggle(own.name)}
          >
            {isOpen ? "▾" : "▸"}
          </button>
        ) : (
          <span className="none" />
        )}
        <Name own={own} cable={branch.cable} shown={shown} />
        {branch.behind > 0 && <span className="soft">{branch.behind} behind</span>}
        {branch.also.length > 0 && <span className="soft">also to {branch.also.join(", ")}</span>}
        {!isOpen && branch.findings > 0 && <span className="warning">▲{branch.findings} behind</span>}
        {!isOpen && branch.unhealthy > 0 && (
          <span className="warning">{branch.unhealthy} behind not read completely</span>
        )}
      </div>
      {isOpen && branch.behind > 0 && (
        <ul>
          {branch.leaves.length > 0 && (
            <li className="chips">
              {branch.leaves.map((leaf) => (
                <Name key={leaf.own.name} own={leaf.own} cable={leaf.cable} shown={shown} />
              ))}
            </li>
          )}
          {branch.inner.map((one) => (
            <Row key={one.own.name} branch={one} shown={shown} />
          ))}
        </ul>
      )}
    </li>
  );
}

function Name({ own, cable, shown }: { own: MapSwitch; cable: MapLink | undefined; shown: Shown }) {
  const hop = shown.hops.get(own.name);
  const well = own.healthy;
  return (
    <Link
      to={switchPath(own.name)}
      className="name"
      data-path={hop !== undefined || shown.chosen === own.name || undefined}
      data-wanted={shown.chosen === own.name || undefined}
      data-unhealthy={!well || undefined}
      title={cable && `${cable.a} ${cable.a_port} – ${cable.b} ${cable.b_port ?? "?"}: ${cable.why}`}
    >
      <strong>{own.name}</strong>{" "}
      <span className="soft">
        {hop ? (hop.leads_to ? `out at ${hop.port}` : `here: ${hop.port}`) : well ? own.present : own.health}
      </span>
      {own.findings > 0 && <span className="warning"> ▲{own.findings}</span>}
    </Link>
  );
}

const STYLE = {
  fontSize: "14px",
  fontVariantNumeric: "tabular-nums",
  "& ul": { listStyle: "none" },
  "& ul ul": { marginLeft: "9px", paddingLeft: "20px", borderLeft: "2px solid", borderColor: "line" },
  "& .row": { display: "flex", alignItems: "center", flexWrap: "wrap", gap: "8px", padding: "2px 0" },
  "& .row > button": { width: "20px", fontSize: "17px", lineHeight: 1, color: "tarn", cursor: "pointer" },
  "& .none": { width: "20px" },
  "& .chips": { display: "flex", flexWrap: "wrap", gap: "5px 6px", padding: "4px 0 6px 28px" },
  "& .name": {
    padding: "1px 9px",
    bg: "paper",
    border: "1.5px solid",
    borderColor: "tarn",
    borderRadius: "6px",
    whiteSpace: "nowrap",
  },
  "& .name:hover": { textDecoration: "underline" },
  "& .name[data-unhealthy]": { borderStyle: "dashed", borderColor: "bad" },
  "& .name[data-path]": { bg: "mark", borderColor: "kite", borderWidth: "2.5px" },
  "& .soft": { color: "soft" },
  "& .warning": { color: "bad", fontWeight: 600 },
} as const;
