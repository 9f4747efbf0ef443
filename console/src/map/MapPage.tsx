// The switches and the links between them; what is looked for stands out: a path, a switch, a VLAN, a finding.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { pathQuery } from "../api/resources/endpoints";
import { findingQuery } from "../api/resources/findings";
import { mapQuery, vlanPortsQuery } from "../api/resources/network";
import { Field, Sheet, Title } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { Nothing, QueryView } from "../shared/QueryView";
import { usePutParam } from "../shared/usePutParam";
import { Drawing, type Marks } from "./Drawing";
import { meant } from "./model";
import { OutlineMap } from "./OutlineMap";

/** Switches; more are drawn by site at first. */
const MOST_IN_TIERS = 30;
const VIEWS = ["tiers", "sites", "outline"] as const;
type View = (typeof VIEWS)[number];
const VIEW_TEXTS: Record<View, string> = {
  tiers: "From the middle",
  sites: "By site",
  outline: "As an outline",
};

export function MapPage() {
  const [params, setParams] = useSearchParams();
  const putParam = usePutParam();
  const at = useAt();
  const mac = params.get("mac") ?? "";
  const chosen = params.get("switch") ?? "";
  const vlan = Number(params.get("vlan") ?? 0);
  const finding = Number(params.get("finding") ?? 0);
  const [typed, setTyped] = useState(
    mac || chosen || (vlan ? `vlan ${vlan}` : "") || (finding ? `finding ${finding}` : ""),
  );
  const map = useQuery(mapQuery(at));
  const path = useQuery({ ...pathQuery(mac, at), enabled: mac !== "" });
  const carriers = useQuery({ ...vlanPortsQuery(vlan), enabled: vlan > 0 });
  const found = useQuery({ ...findingQuery(finding), enabled: finding > 0 });
  const asked = VIEWS.find((one) => one === params.get("view"));
  const view = asked ?? ((map.data?.switches.length ?? 0) > MOST_IN_TIERS ? "sites" : "tiers");
  const marks = useMemo((): Marks => {
    const hops = mac ? (path.data ?? []) : [];
    const names = new Set(hops.map((hop) => hop.switch));
    if (chosen) names.add(chosen);
    for (const one of (vlan > 0 && carriers.data) || []) names.add(one.switch);
    if (finding > 0 && found.data) {
      for (const port of found.data.ports) if (port.switch) names.add(port.switch);
      if (found.data.switch) names.add(found.data.switch);
    }
    return { path: hops, names };
  }, [mac, path.data, chosen, vlan, carriers.data, finding, found.data]);
  const put = (values: Record<string, string>) =>
    setParams({ ...values, ...(asked ? { view: asked } : {}), ...(at ? { at } : {}) });
  const error = path.error ?? carriers.error ?? found.error;
  return (
    <>
      <Title>Map</Title>
      <Flex
        as="form"
        gap="10px"
        align="center"
        margin="0 0 12px"
        wrap="wrap"
        onSubmit={(event) => {
          event.preventDefault();
          put(meant(typed.trim(), map.data));
        }}
      >
        <label htmlFor="wanted">Show</label>
        <Field
          id="wanted"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          placeholder="an address, a switch, vlan 20, finding 7"
          fontFamily={typed ? "mono" : "body"}
          width="290px"
        />
        {VIEWS.map((one) => (
          <Button
            key={one}
            size="xs"
            variant="outline"
            aria-pressed={one === view}
            bg={one === view ? "tint" : "sheet"}
            onClick={() => putParam("view", one)}
          >
            {VIEW_TEXTS[one]}
          </Button>
        ))}
        {error && <chakra.span color="bad">{error.message}</chakra.span>}
        {mac && path.data?.length === 0 && <span>no path is known</span>}
        {vlan > 0 && carriers.data?.length === 0 && (
          <span>no switch reports that it carries VLAN {vlan}</span>
        )}
      </Flex>
      <Sheet tabIndex={0} aria-label="map of the switches">
        <QueryView query={map} rows={8}>
          {(data) =>
            data.switches.length === 0 ? (
              <Nothing>No switch is in the inventory.</Nothing>
            ) : view === "outline" ? (
              <OutlineMap map={data} path={marks.path} chosen={chosen} />
            ) : (
              <Drawing map={data} marks={marks} bySite={view === "sites"} />
            )
          }
        </QueryView>
      </Sheet>
      <chakra.p color="soft" fontSize="13px" marginTop="8px">
        A dashed frame: not read completely at the moment. ▲ with a number: open findings.{" "}
        {view === "outline"
          ? "From the middle of the network outwards; an arrow folds and unfolds what is behind."
          : "⊘ and dashes: kept as a spare by the spanning tree. ✕ and dots: an end is down. ×2: a bundle. The thick line is the path to the endpoint."}
      </chakra.p>
    </>
  );
}
