// Everything about a switch, in tabs: its ports at once, the others when they are opened.
import { chakra, Flex, Tabs } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Switch } from "../api/client";
import { portsQuery } from "../api/resources/ports";
import { onSwitchQuery } from "../api/resources/stays";
import { Field, Sheet } from "../shared/Grid";
import { ErrorNotice, Nothing, QueryView, Waiting } from "../shared/QueryView";
import { byPort, filterPorts } from "./model";
import type { FurtherTab } from "./OneOfTabs";
import { PortTable } from "./PortTable";

const OneOfTabs = lazy(() => import("./OneOfTabs").then((all) => ({ default: all.OneOfTabs })));

const FURTHER: readonly FurtherTab[] = ["addresses", "neighbours", "VLANs", "readings", "changes"];
type Tab = "ports" | FurtherTab;
const TABS: readonly Tab[] = ["ports", ...FURTHER];
/** Those that can show the past. */
const PAST: readonly Tab[] = ["ports", "changes"];

export function SwitchTabs(props: {
  one: Switch;
  at: string | undefined;
  tab: string | null;
  setTab: (tab: string | null) => void;
}) {
  const { one, at, setTab } = props;
  const tabs = at ? PAST : TABS;
  const tab = tabs.find((name) => name === props.tab) ?? "ports";
  return (
    <Tabs.Root
      value={tab}
      onValueChange={({ value }) => setTab(value === "ports" ? null : value)}
      lazyMount
      unmountOnExit
      marginTop="14px"
    >
      <Tabs.List>
        {tabs.map((name) => (
          <Tabs.Trigger key={name} value={name} color="ink" textTransform="none">
            {name === "VLANs" ? name : name.charAt(0).toUpperCase() + name.slice(1)}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Tabs.Content value="ports" paddingTop="10px">
        <Ports name={one.name} at={at} />
      </Tabs.Content>
      {FURTHER.map((name) => (
        <Tabs.Content key={name} value={name} paddingTop="10px">
          <Suspense fallback={<Waiting rows={8} />}>
            <OneOfTabs tab={name} one={one} at={at} />
          </Suspense>
        </Tabs.Content>
      ))}
    </Tabs.Root>
  );
}

function Ports({ name, at }: { name: string; at: string | undefined }) {
  const ports = useQuery(portsQuery(name, at));
  const stays = useQuery(onSwitchQuery(name, at));
  const [text, setText] = useState("");
  const there = useMemo(() => byPort(stays.data?.items ?? []), [stays.data]);
  return (
    <QueryView query={ports} rows={8}>
      {(all) => {
        const bridged = all.filter((port) => port.bridged);
        const shown = filterPorts(bridged, there, text);
        return (
          <>
            <Flex align="center" gap="12px" margin="0 0 8px" wrap="wrap">
              <chakra.label htmlFor="narrow">Filter</chakra.label>
              <Field
                id="narrow"
                value={text}
                onChange={(event) => setText(event.target.value)}
                placeholder="port, label, VLAN or digits of an address"
                spellCheck={false}
                width="340px"
                maxWidth="100%"
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
              ) : stays.isPending ? (
                <Waiting rows={8} />
              ) : (
                <PortTable ports={shown} stays={there} />
              )}
            </Sheet>
          </>
        );
      }}
    </QueryView>
  );
}
