// The switches and the cables between them, with the path to a chosen endpoint.
import { chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import type { Hop, NetworkMap } from "../api/client";
import { pathQuery } from "../api/resources/endpoints";
import { mapQuery } from "../api/resources/network";
import { Field, Sheet, Title } from "../shared/Grid";
import { switchPath } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { layOut, pair, pathPairs } from "./model";
import { OutlineMap } from "./OutlineMap";

/** Switches; more make a drawing wider than a screen. */
const MOST_DRAWN = 30;
const BOX = { width: 120, height: 46 };

export function MapPage() {
  const [params, setParams] = useSearchParams();
  const mac = params.get("mac") ?? "";
  const chosen = params.get("switch") ?? "";
  const [typed, setTyped] = useState(mac || chosen);
  const map = useQuery(mapQuery);
  const path = useQuery({ ...pathQuery(mac), enabled: mac !== "" });
  const isLarge = (map.data?.switches.length ?? 0) > MOST_DRAWN;
  const hops = mac ? (path.data ?? []) : [];
  return (
    <>
      <Title>Map</Title>
      <Flex
        as="form"
        gap="10px"
        align="center"
        margin="0 0 12px"
        onSubmit={(event) => {
          event.preventDefault();
          setParams(meant(typed.trim(), map.data));
        }}
      >
        <label htmlFor="wanted">Show</label>
        <Field
          id="wanted"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          placeholder="the path of an address, or a switch"
          fontFamily={typed ? "mono" : "body"}
          width="290px"
        />
        {path.error && <chakra.span color="bad">{path.error.message}</chakra.span>}
        {mac && path.data?.length === 0 && <span>no path is known</span>}
      </Flex>
      <Sheet tabIndex={0} aria-label="map of the switches">
        <QueryView query={map} rows={8}>
          {(data) =>
            data.switches.length === 0 ? (
              <Nothing>No switch is in the inventory.</Nothing>
            ) : isLarge ? (
              <OutlineMap map={data} path={hops} chosen={chosen} />
            ) : (
              <Drawing map={data} path={hops} chosen={chosen} />
            )
          }
        </QueryView>
      </Sheet>
      <chakra.p color="soft" fontSize="13px" marginTop="8px">
        A dashed frame: not read completely at the moment. ▲ with a number: open findings.{" "}
        {isLarge
          ? "From the middle of the network outwards; an arrow folds and unfolds what is behind. The marked switches are on the path to the endpoint."
          : "The thick line is the path to the endpoint."}
      </chakra.p>
    </>
  );
}

/** A switch by its name; whatever else is typed is meant as an address. */
function meant(text: string, map: NetworkMap | undefined): Record<string, string> {
  if (!text) return {};
  const named = map?.switches.find((one) => one.name.toLowerCase() === text.toLowerCase());
  return named ? { switch: named.name } : { mac: text };
}

function Drawing({ map, path, chosen }: { map: NetworkMap; path: Hop[]; chosen: string }) {
  const navigate = useNavigate();
  const layout = layOut(map);
  const marked = pathPairs(path);
  const on = new Set([...path.map((hop) => hop.switch), chosen]);
  const end = path.at(-1);
  return (
    <chakra.svg
      viewBox={`0 0 ${layout.width} ${layout.height}`}
      width="100%"
      minWidth={layout.width > 1300 ? `${layout.width}px` : undefined}
      maxHeight={layout.tiers < 6 ? "560px" : undefined}
      role="group"
      aria-label={`${map.switches.length} switches, ${map.links.length} cables`}
      fontSize="13px"
    >
      {map.links.map((link) => {
        const a = layout.places.get(link.a);
        const b = layout.places.get(link.b);
        if (!a || !b) return null;
        const onPath = marked.has(pair(link.a, link.b));
        return (
          <chakra.path
            key={pair(link.a, link.b)}
            d={bend(a, b)}
            fill="none"
            stroke={onPath ? "kite" : "soft"}
            strokeWidth={onPath ? 4 : 1.2}
            opacity={onPath || path.length === 0 ? 1 : 0.35}
          >
            <title>{`${link.a} ${link.a_port} – ${link.b} ${link.b_port ?? "?"}: ${link.why}`}</title>
          </chakra.path>
        );
      })}
      {map.switches.map((one) => {
        const place = layout.places.get(one.name);
        if (!place) return null;
        const well = one.healthy;
        return (
          <chakra.g
            key={one.name}
            role="link"
            tabIndex={0}
            cursor="pointer"
            onClick={() => navigate(switchPath(one.name))}
            onKeyDown={(event) => event.key === "Enter" && navigate(switchPath(one.name))}
            transform={`translate(${place.x - BOX.width / 2} ${place.y - BOX.height / 2})`}
          >
            <chakra.rect
              width={BOX.width}
              height={BOX.height}
              rx="6"
              fill={on.has(one.name) ? "mark" : "paper"}
              stroke={well ? "tarn" : "bad"}
              strokeWidth={on.has(one.name) ? 2.5 : 1.5}
              strokeDasharray={well ? undefined : "5 4"}
            />
            <chakra.text x={BOX.width / 2} y="19" textAnchor="middle" fill="ink" fontWeight="700">
              {one.name.length > 16 ? `${one.name.slice(0, 15)}…` : one.name}
            </chakra.text>
            <chakra.text x={BOX.width / 2} y="36" textAnchor="middle" fill="soft">
              {end?.switch === one.name ? `here: ${end.port}` : well ? `${one.present}` : one.health}
              {one.findings > 0 ? ` ▲${one.findings}` : ""}
            </chakra.text>
          </chakra.g>
        );
      })}
    </chakra.svg>
  );
}

function bend(a: { x: number; y: number }, b: { x: number; y: number }): string {
  const middle = (a.y + b.y) / 2;
  if (a.y === b.y) return `M${a.x} ${a.y} Q${(a.x + b.x) / 2} ${a.y - 46} ${b.x} ${b.y}`;
  return `M${a.x} ${a.y} C${a.x} ${middle} ${b.x} ${middle} ${b.x} ${b.y}`;
}
