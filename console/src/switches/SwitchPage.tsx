// One switch: its identity, when it was last read, its ports drawn and listed.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { api, need, type Port, type Switch } from "../api/client";
import { changesQuery } from "../api/resources/history";
import { switchLinksQuery } from "../api/resources/links";
import { portsQuery } from "../api/resources/ports";
import { onSwitchQuery } from "../api/resources/stays";
import { neighboursQuery, switchQuery } from "../api/resources/switches";
import { Age } from "../shared/Age";
import { AsOfPicker } from "../shared/AsOfPicker";
import { DeviceLinks } from "../shared/DeviceLinks";
import { Heading, Sheet, Title } from "../shared/Grid";
import { reportPath } from "../shared/links";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { clockTime } from "../shared/time";
import { ChangeTable } from "./ChangeTable";
import { addressText, byPort, filterPorts, tableUse } from "./model";
import { NeighbourTable } from "./NeighbourTable";
import { PortFace } from "./PortFace";
import { PortPanel } from "./PortPanel";
import { PortTable } from "./PortTable";

const KEPT = "Names, labels, VLANs and speeds of ports are those of now; links as far as they were kept.";

export function SwitchPage() {
  const { name = "" } = useParams();
  const one = useQuery(switchQuery(name));
  return (
    <AsOfPicker kept={KEPT}>
      {(at) => (
        <>
          <QueryView query={one} rows={3}>
            {(data) => (at ? <Title>{data.name}</Title> : <Identity one={data} />)}
          </QueryView>
          {one.data && <Ports name={name} at={at} />}
          {one.data && !at && <Neighbours name={name} />}
          {one.data && <Changes name={name} at={at} />}
        </>
      )}
    </AsOfPicker>
  );
}

function Neighbours({ name }: { name: string }) {
  const neighbours = useQuery(neighboursQuery(name));
  if ((neighbours.data?.length ?? 0) === 0) return null;
  return (
    <>
      <Heading>Neighbours</Heading>
      <Sheet tabIndex={0} aria-label="neighbours">
        <QueryView query={neighbours}>{(rows) => <NeighbourTable neighbours={rows} />}</QueryView>
      </Sheet>
    </>
  );
}

function Changes({ name, at }: { name: string; at: string | undefined }) {
  const changes = useQuery(changesQuery({ switch: name, limit: 15, ...(at ? { until: at } : {}) }));
  return (
    <>
      <Heading>What changed here{at && " by then"}</Heading>
      <Sheet tabIndex={0} aria-label="changes">
        <QueryView query={changes}>
          {(page) =>
            page.items.length === 0 ? <Nothing>Nothing yet.</Nothing> : <ChangeTable changes={page.items} />
          }
        </QueryView>
      </Sheet>
    </>
  );
}

function Identity({ one }: { one: Switch }) {
  const client = useQueryClient();
  const read = useMutation({
    mutationFn: () =>
      need(api.POST("/api/v1/switches/{name}/readings", { params: { path: { name: one.name } } })),
    onSettled: () => client.invalidateQueries(),
  });
  const facts: [string, React.ReactNode][] = [
    ["health", <StatusText key="health" of={one.health} />],
    ["last read", <Age key="read" at={one.read_at} ago={one.read_at !== null} />],
    ["read every", `${one.interval_s} s`],
    ["table", tableUse(one)],
    ["ageing time", one.ageing_s === null ? "not reported" : `${one.ageing_s} s`],
    ["up for", <Age key="up" at={one.up_since} />],
    ["model", [one.model, one.software].filter(Boolean).join(" ")],
    ["serial number", one.serial],
    ["topology changes", one.topology_changes],
    ["learning discards", one.learning_discards],
    ["polled as", one.credential ?? one.credential_kind],
    ["written with", one.write_credential ?? ""],
    ["site", one.site],
    ["groups", one.groups.join(", ")],
    [
      "bridge address",
      <chakra.span key="mac" fontFamily="mono">
        {one.bridge_address ?? "not reported"}
      </chakra.span>,
    ],
  ];
  const links = useQuery(switchLinksQuery(one.name));
  return (
    <>
      <Flex align="baseline" gap="14px" wrap="wrap">
        <Title marginBottom="0">{one.name}</Title>
        <chakra.span color="soft">
          {[one.location, one.description, addressText(one)].filter(Boolean).join(" · ")}
        </chakra.span>
        <chakra.a
          href={reportPath(one.name)}
          target="_blank"
          rel="noreferrer"
          marginLeft="auto"
          color="tarn"
          fontWeight={600}
        >
          Printable report
        </chakra.a>
        <Button
          size="sm"
          bg="tarn"
          color="onTarn"
          loading={read.isPending}
          loadingText="Reading"
          disabled={!one.enabled}
          onClick={() => read.mutate()}
        >
          Read now
        </Button>
      </Flex>
      <DeviceLinks links={links.data ?? []} />
      <Flex as="dl" gap="6px 30px" wrap="wrap" margin="10px 0 4px">
        {facts
          .filter(([, value]) => value !== "" && value !== null)
          .map(([label, value]) => (
            <Box key={label}>
              <chakra.dt color="soft" fontSize="13px">
                {label}
              </chakra.dt>
              <chakra.dd fontWeight={600}>{value}</chakra.dd>
            </Box>
          ))}
      </Flex>
      {one.error && (
        <Notice tone={one.health === "partial" ? "warn" : "bad"}>
          {one.error}
          {one.next_try_at && one.health !== "partial" && `. Next try at ${clockTime(one.next_try_at)}.`}
        </Notice>
      )}
      {one.warnings.map((warning) => (
        <Notice key={warning} tone="warn">
          Note: {warning}.
        </Notice>
      ))}
      {read.error && <ErrorNotice error={read.error} />}
      {read.data?.error && <Notice tone="bad">{read.data.error}</Notice>}
    </>
  );
}

function chosenPort(ports: Port[], chosen: string | null): Port | undefined {
  return ports.find((port) => port.name === chosen);
}

function Ports({ name, at }: { name: string; at: string | undefined }) {
  const ports = useQuery(portsQuery(name, at));
  const stays = useQuery(onSwitchQuery(name, at));
  const [params, setParams] = useSearchParams();
  const chosen = params.get("port");
  const [text, setText] = useState("");
  const there = useMemo(() => byPort(stays.data?.items ?? []), [stays.data]);
  const loaded = ports.data !== undefined && stays.data !== undefined;

  useEffect(() => {
    if (chosen && loaded) {
      document.getElementById("chosen-port")?.scrollIntoView({ block: "center" });
    }
  }, [chosen, loaded]);

  return (
    <QueryView query={ports} rows={8}>
      {(all) => {
        const bridged = all.filter((port) => port.bridged);
        const shown = filterPorts(bridged, there, text);
        return (
          <>
            <Heading>Ports</Heading>
            <Sheet>
              <PortFace
                ports={bridged}
                chosen={chosen}
                choose={(port) =>
                  setParams({ ...(port ? { port } : {}), ...(at ? { at } : {}) }, { replace: true })
                }
              />
            </Sheet>
            {chosenPort(all, chosen) && <PortPanel port={chosenPort(all, chosen) as Port} />}
            <Flex align="center" gap="12px" margin="14px 0 8px">
              <chakra.label htmlFor="narrow">Filter</chakra.label>
              <chakra.input
                id="narrow"
                value={text}
                onChange={(event) => setText(event.target.value)}
                placeholder="port, label, VLAN or digits of an address"
                spellCheck={false}
                width="340px"
                padding="4px 8px"
                bg="sheet"
                border="1px solid"
                borderColor="line"
                borderRadius="4px"
                _placeholder={{ color: "soft" }}
              />
              <chakra.span color="soft">
                {shown.length} of {bridged.length} ports
              </chakra.span>
            </Flex>
            <Sheet tabIndex={0} aria-label="who is on each port">
              {stays.error && <ErrorNotice error={stays.error} again={() => void stays.refetch()} />}
              {shown.length === 0 ? (
                <Nothing>
                  {bridged.length === 0 ? "Its ports have not been read yet." : "No port matches."}
                </Nothing>
              ) : (
                <PortTable ports={shown} stays={there} chosen={chosen} />
              )}
            </Sheet>
          </>
        );
      }}
    </QueryView>
  );
}
