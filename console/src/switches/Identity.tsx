// What a switch is and how reading it goes, and what can be done with it.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, need, type Switch } from "../api/client";
import { switchLinksQuery } from "../api/resources/links";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Confirm } from "../shared/Confirm";
import { DeviceLinks } from "../shared/DeviceLinks";
import { Fact } from "../shared/Fact";
import { Facts, Title } from "../shared/Grid";
import { reportPath } from "../shared/links";
import { ErrorNotice, Notice } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { clockTime, span } from "../shared/time";
import { addressText, tableUse } from "./model";

export function Identity({ one, change }: { one: Switch; change: () => void }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const mayRead = useMay("operate");
  const mayChange = useMay("administer");
  const links = useQuery(switchLinksQuery(one.name));
  const path = { name: one.name };
  const read = useMutation({
    meta: { done: `${one.name} is read.` },
    mutationFn: () => need(api.POST("/api/v1/switches/{name}/readings", { params: { path } })),
    onSettled: () => client.invalidateQueries(),
  });
  const remove = useMutation({
    meta: { done: `${one.name} is removed.` },
    mutationFn: () => drop(api.DELETE("/api/v1/switches/{name}", { params: { path } })),
    onSuccess: () => navigate("/switches"),
    onSettled: () => client.invalidateQueries({ queryKey: ["switches"] }),
  });
  return (
    <>
      <Flex align="center" gap="8px 14px" wrap="wrap">
        <Title marginBottom="0">{one.name}</Title>
        <StatusText of={one.health} />
        <chakra.span color="soft">
          {[one.location, one.description, addressText(one)].filter(Boolean).join(" · ")}
        </chakra.span>
        <Flex gap="8px" align="center" marginLeft="auto" _print={{ display: "none" }}>
          <chakra.a
            href={reportPath(one.name)}
            target="_blank"
            rel="noreferrer"
            color="tarn"
            fontWeight={600}
          >
            Printable report
          </chakra.a>
          {mayChange && (
            <>
              <Button size="xs" variant="outline" onClick={change}>
                Change
              </Button>
              <Confirm
                label={`Remove ${one.name}`}
                title={`Remove ${one.name}?`}
                busy={remove.isPending}
                act={() => remove.mutate()}
              >
                It is read no more, and its stays end. What was recorded is kept as long as the retention
                says.
              </Confirm>
            </>
          )}
          {mayRead && (
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
          )}
        </Flex>
      </Flex>
      <DeviceLinks links={links.data ?? []} />
      <Facts>
        <Fact label="last read">
          <Age at={one.read_at} ago={one.read_at !== null} />
        </Fact>
        <Fact label={one.source === "files" ? "reading expected every" : "read every"}>
          {span(one.interval_s * 1000)}
        </Fact>
        <Fact label="table">{tableUse(one)}</Fact>
        <Fact label="ageing time">{one.ageing_s === null ? "not reported" : `${one.ageing_s} s`}</Fact>
        <Fact label="up for">
          <Age at={one.up_since} />
        </Fact>
        <Fact label="model">{[one.model, one.software].filter(Boolean).join(" ")}</Fact>
        <Fact label="serial number">{one.serial}</Fact>
        <Fact label="topology changes">{one.topology_changes}</Fact>
        <Fact label="learning discards">{one.learning_discards}</Fact>
        <Fact label="polled as">{one.credential ?? one.credential_kind}</Fact>
        <Fact label="written with">{one.write_credential ?? ""}</Fact>
        <Fact label="site">{one.site}</Fact>
        <Fact label="groups">{one.groups.join(", ")}</Fact>
        <Fact label="bridge address">
          <chakra.span fontFamily="mono">{one.bridge_address ?? "not reported"}</chakra.span>
        </Fact>
        <Fact label="notes">{one.notes}</Fact>
      </Facts>
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
      {(read.error ?? remove.error) && <ErrorNotice error={(read.error ?? remove.error) as Error} />}
      {read.data?.error && <Notice tone="bad">{read.data.error}</Notice>}
    </>
  );
}
