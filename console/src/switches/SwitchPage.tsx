// One switch: its identity, its front, and everything about it in tabs. A port opens at the side.
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useMemo } from "react";
import { useParams, useSearchParams } from "react-router";
import type { Port } from "../api/client";
import { asOf } from "../api/resources/asOf";
import { findingsQuery } from "../api/resources/findings";
import { portsQuery } from "../api/resources/ports";
import { rollCallsQuery } from "../api/resources/rules";
import { onSwitchQuery } from "../api/resources/stays";
import { switchQuery } from "../api/resources/switches";
import { Sheet, Title } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { QueryView } from "../shared/QueryView";
import { usePutParam } from "../shared/usePutParam";
import { Identity } from "./Identity";
import { portMarks } from "./model";
import { PortDrawer } from "./PortDrawer";
import { PortFace } from "./PortFace";
import { SwitchTabs } from "./SwitchTabs";

const SwitchForm = lazy(() => import("../inventory/SwitchForm").then((all) => ({ default: all.SwitchForm })));

export function SwitchPage() {
  const { name = "" } = useParams();
  const at = useAt();
  const [params] = useSearchParams();
  const one = useQuery(switchQuery(name));
  // Asked for together with the switch, not when it has come; they are shown further down.
  useQuery({ ...portsQuery(name, at), notifyOnChangeProps: [] });
  useQuery({ ...onSwitchQuery(name, at), enabled: !params.has("tab"), notifyOnChangeProps: [] });
  const put = usePutParam({ replace: true });
  const chosen = params.get("port");
  return (
    <>
      <QueryView query={one} rows={3}>
        {(data) =>
          at ? <Title>{data.name}</Title> : <Identity one={data} change={() => put("change", "yes")} />
        }
      </QueryView>
      {one.data && <Front name={name} at={at} chosen={chosen} choose={(port) => put("port", port)} />}
      {one.data && (
        <SwitchTabs one={one.data} at={at} tab={params.get("tab")} setTab={(tab) => put("tab", tab)} />
      )}
      {one.data && params.get("change") === "yes" && (
        <Suspense>
          <SwitchForm of={one.data} onClose={() => put("change", null)} />
        </Suspense>
      )}
    </>
  );
}

function Front(props: {
  name: string;
  at: string | undefined;
  chosen: string | null;
  choose: (port: string | null) => void;
}) {
  const { name, at, chosen, choose } = props;
  const ports = useQuery(portsQuery(name, at));
  // What ports are marked by comes after the ports themselves.
  const findings = useQuery({
    ...findingsQuery({ switch: name, parts: true, limit: 200, ...asOf(at) }),
    enabled: ports.isSuccess,
  });
  const calls = useQuery({
    ...rollCallsQuery({ switch: name, broken: true, limit: 1000 }),
    enabled: !at && ports.isSuccess,
  });
  const marks = useMemo(
    () => portMarks(name, findings.data?.items ?? [], calls.data?.items ?? []),
    [name, findings.data, calls.data],
  );
  return (
    <QueryView query={ports} rows={4}>
      {(all) => (
        <Box>
          <Sheet>
            <PortFace
              ports={all.filter((port) => port.bridged)}
              marks={marks}
              chosen={chosen}
              choose={choose}
            />
          </Sheet>
          <PortDrawer port={chosenPort(all, chosen)} onClose={() => choose(null)} />
        </Box>
      )}
    </QueryView>
  );
}

function chosenPort(ports: Port[], chosen: string | null): Port | undefined {
  return ports.find((port) => port.name === chosen);
}
