// The network drawn: zoomed, moved, each switch a box, sites as areas, links by what they are.
import "@xyflow/react/dist/base.css";
import { Box, chakra } from "@chakra-ui/react";
import {
  Background,
  BaseEdge,
  Controls,
  type Edge,
  EdgeLabelRenderer,
  type EdgeProps,
  Handle,
  type Node,
  type NodeProps,
  Position,
  ReactFlow,
  ReactFlowProvider,
  useReactFlow,
  useStore,
} from "@xyflow/react";
import { useEffect, useMemo } from "react";
import { useNavigate } from "react-router";
import type { Hop, MapLink, MapSwitch, NetworkMap } from "../api/client";
import { switchPath } from "../shared/links";
import { layOut, pair, pathPairs, tiers } from "./model";
import { type Area, layOutSites } from "./sites";

const BOX = { width: 122, height: 46 };
/** How far a link between neighbours in a row bows out. */
const BOW = 30;
/** Smaller than this, names cannot be read: signs alone are shown. */
const READABLE = 0.45;

type SwitchNode = Node<{ own: MapSwitch; marked: boolean; here: string; dimmed: boolean }, "switch">;
type AreaNode = Node<{ site: string }, "area">;
type Point = { x: number; y: number };
type LinkEdge = Edge<{ link: MapLink; a: Point; b: Point; onPath: boolean; dimmed: boolean }, "link">;

export type Marks = {
  path: Hop[];
  /** Switches that stand out. */
  names: ReadonlySet<string>;
};

type Props = { map: NetworkMap; marks: Marks; bySite: boolean };

export function Drawing(props: Props) {
  return (
    <ReactFlowProvider>
      <Flow {...props} />
    </ReactFlowProvider>
  );
}

function Flow({ map, marks, bySite }: Props) {
  const navigate = useNavigate();
  const flow = useReactFlow();
  const layout = useMemo(() => {
    const near = tiers(map);
    return bySite ? layOutSites(map, near) : { ...layOut(map), areas: [] };
  }, [map, bySite]);
  const { nodes, edges } = useMemo(() => picture(map, marks, layout), [map, marks, layout]);
  const shape = `${layout.width} ${layout.height} ${nodes.length}`;
  const wanted = [...marks.names].sort().join(" ");
  useEffect(() => {
    const names = wanted.split(" ").filter(Boolean);
    // Whoever looks for something is led there; else all of it is shown, also when its shape changes.
    const around = names.length > 0 && shape ? { nodes: names.map((id) => ({ id })), maxZoom: 1.1 } : {};
    const timer = setTimeout(() => void flow.fitView({ padding: 0.12, ...around }), 60);
    return () => clearTimeout(timer);
  }, [flow, wanted, shape]);
  return (
    <Box height="calc(100vh - 240px)" minHeight="420px" css={STYLE}>
      <ReactFlow
        nodes={nodes}
        edges={edges}
        nodeTypes={NODES}
        edgeTypes={EDGES}
        fitView
        minZoom={0.05}
        maxZoom={2.5}
        nodesDraggable={false}
        nodesConnectable={false}
        nodesFocusable={false}
        edgesFocusable={false}
        elementsSelectable={false}
        onlyRenderVisibleElements={map.switches.length > 200}
        onNodeClick={(_, node) => node.type === "switch" && navigate(switchPath(node.id))}
        proOptions={{ hideAttribution: true }}
        aria-label={`${map.switches.length} switches, ${map.links.length} links`}
      >
        <Background gap={28} color="var(--chakra-colors-line)" />
        <Controls showInteractive={false} aria-label="zoom" />
      </ReactFlow>
    </Box>
  );
}

type Drawn = ReturnType<typeof layOut> & { areas: Area[] };

function picture(map: NetworkMap, marks: Marks, layout: Drawn) {
  const onPath = pathPairs(marks.path);
  const dimming = marks.names.size > 0;
  const end = marks.path.at(-1);
  const areas = layout.areas.map(
    (one): AreaNode => ({
      id: `site ${one.site}`,
      type: "area",
      position: { x: one.x, y: one.y },
      data: { site: one.site },
      style: { width: one.width, height: one.height },
      selectable: false,
      focusable: false,
      zIndex: -1,
    }),
  );
  const switches = map.switches.flatMap((own): SwitchNode[] => {
    const place = layout.places.get(own.name);
    if (!place) return [];
    const marked = marks.names.has(own.name);
    const data = { own, marked, here: end?.switch === own.name ? end.port : "", dimmed: dimming && !marked };
    return [
      {
        id: own.name,
        type: "switch",
        position: { x: place.x - BOX.width / 2, y: place.y - BOX.height / 2 },
        data,
        width: BOX.width,
        height: BOX.height,
      },
    ];
  });
  const edges = map.links.flatMap((link): LinkEdge[] => {
    const a = layout.places.get(link.a);
    const b = layout.places.get(link.b);
    if (!a || !b) return [];
    const on = onPath.has(pair(link.a, link.b));
    const near = marks.names.has(link.a) && marks.names.has(link.b);
    return [
      {
        id: `${link.a} ${link.a_port} ${link.b}`,
        source: link.a,
        target: link.b,
        type: "link",
        data: { link, a, b, onPath: on, dimmed: dimming && !on && !near },
      },
    ];
  });
  // Below the boxes; the path over other links.
  edges.sort((one, other) => Number(one.data?.onPath) - Number(other.data?.onPath));
  return { nodes: [...areas, ...switches], edges };
}

function SwitchBox({ data }: NodeProps<SwitchNode>) {
  const { own, marked, here, dimmed } = data;
  const readable = useStore((state) => state.transform[2] >= READABLE);
  const navigate = useNavigate();
  const below = here ? `here: ${here}` : own.healthy ? `${own.present}` : own.health;
  return (
    <chakra.div
      className="switch"
      role="link"
      data-marked={marked || undefined}
      data-unhealthy={!own.healthy || undefined}
      data-dimmed={dimmed || undefined}
      tabIndex={0}
      onKeyDown={(event) => event.key === "Enter" && navigate(switchPath(own.name))}
      title={`${own.name} ${own.site}`}
    >
      <Handle type="target" position={Position.Top} isConnectable={false} />
      <Handle type="source" position={Position.Bottom} isConnectable={false} />
      <strong>{own.name.length > 15 ? `${own.name.slice(0, 14)}…` : own.name}</strong>
      {readable && <span className="below">{below}</span>}
      {own.findings > 0 && <span className="findings">▲{own.findings}</span>}
      <chakra.span srOnly>
        {`${own.health}, ${own.present} addresses, ${own.findings} open findings`}
      </chakra.span>
    </chakra.div>
  );
}

function SiteArea({ data }: NodeProps<AreaNode>) {
  return (
    <div className="area">
      <strong>{data.site || "no site"}</strong>
    </div>
  );
}

function Link(props: EdgeProps<LinkEdge>) {
  const { data, id } = props;
  if (!data) return null;
  const { a, b } = data;
  const { link, onPath, dimmed } = data;
  // From middle to middle, below the boxes; beside each other, in a bow above them.
  const beside = Math.abs(a.y - b.y) < BOX.height;
  const middle = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 - (beside ? BOW : 0) };
  const path = beside
    ? `M${a.x} ${a.y} Q${middle.x} ${middle.y - BOW} ${b.x} ${b.y}`
    : `M${a.x} ${a.y} C${a.x} ${middle.y} ${b.x} ${middle.y} ${b.x} ${b.y}`;
  const sign = { carrying: "", blocked: "⊘", down: "✕" }[link.state];
  const label = [sign, link.bundled > 1 ? `×${link.bundled}` : ""].filter(Boolean).join(" ");
  const title = `${link.a} ${link.a_port} – ${link.b} ${link.b_port ?? "?"}: ${link.state}, ${link.why}`;
  return (
    <>
      <g
        className={["link", link.state, onPath && "path", dimmed && "dimmed", link.bundled > 1 && "bundle"]
          .filter(Boolean)
          .join(" ")}
      >
        <title>{title}</title>
        <BaseEdge id={id} path={path} interactionWidth={14} />
      </g>
      {label && !dimmed && (
        <EdgeLabelRenderer>
          <chakra.span
            position="absolute"
            transform={`translate(-50%, -50%) translate(${middle.x}px, ${middle.y}px)`}
            bg="sheet"
            border="1px solid"
            borderColor="line"
            borderRadius="4px"
            padding="0 4px"
            fontSize="11px"
            color={link.state === "down" ? "bad" : "ink"}
            title={title}
          >
            {label}
          </chakra.span>
        </EdgeLabelRenderer>
      )}
    </>
  );
}

const NODES = { switch: SwitchBox, area: SiteArea };
const EDGES = { link: Link };

const STYLE = {
  "& .react-flow__handle": { opacity: 0, pointerEvents: "none" },
  "& .switch": {
    width: "100%",
    height: "100%",
    bg: "paper",
    border: "1.5px solid",
    borderColor: "tarn",
    borderRadius: "6px",
    textAlign: "center",
    fontSize: "13px",
    lineHeight: "1.3",
    padding: "4px 2px",
    cursor: "pointer",
    whiteSpace: "nowrap",
    overflow: "hidden",
  },
  "& .switch strong": { display: "block" },
  "& .switch .below": { color: "soft", marginRight: "5px" },
  "& .switch .findings": { color: "bad", fontWeight: 700 },
  "& .switch[data-unhealthy]": { borderStyle: "dashed", borderColor: "bad" },
  "& .switch[data-marked]": { bg: "mark", borderColor: "kite", borderWidth: "2.5px" },
  "& .switch[data-dimmed]": { opacity: 0.5 },
  "& .area": {
    width: "100%",
    height: "100%",
    bg: "tint",
    border: "1px solid",
    borderColor: "line",
    borderRadius: "10px",
    padding: "5px 12px",
    fontSize: "15px",
    color: "soft",
  },
  "& .link path": { stroke: "soft", strokeWidth: 1.4 },
  "& .link.bundle path": { strokeWidth: 3 },
  "& .link.blocked path": { strokeDasharray: "7 5" },
  "& .link.down path": { stroke: "bad", strokeDasharray: "2 5" },
  "& .link.path path": { stroke: "kite", strokeWidth: 4 },
  "& .link.dimmed path": { opacity: 0.25 },
  "& .react-flow__controls-button": { bg: "sheet", color: "ink", borderColor: "line", fill: "currentColor" },
} as const;
