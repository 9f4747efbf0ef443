// All endpoints, narrowed by words, page after page as one scrolls.
import { Button, chakra } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, type Endpoint, need } from "../api/client";
import { endpointsQuery } from "../api/resources/endpoints";
import { healthQuery } from "../api/resources/session";
import { useMay } from "../session/useSession";
import { Field, Title } from "../shared/Grid";
import { endpointPath } from "../shared/links";
import { ErrorNotice, Notice } from "../shared/QueryView";
import { useTypedParam } from "../shared/useTypedParam";
import { PagedTable } from "../table/PagedTable";
import { serverSort } from "../table/paged";
import { ENDPOINT_COLUMNS, endpointKey } from "./columns";
import { exportFilter, FILTER_WORDS, readWords } from "./words";

const TYPING_MS = 250;
export function EndpointsPage() {
  const [params] = useSearchParams();
  const words = params.get("q") ?? "";
  const [opened] = useState(() => Date.now());
  const { filter, problems, rest } = useMemo(() => readWords(words, opened), [words, opened]);
  const found = useInfiniteQuery({
    ...endpointsQuery(filter, serverSort(params.get("sort"), ENDPOINT_COLUMNS)),
    enabled: problems.length === 0,
  });
  const health = useQuery(healthQuery);
  const navigate = useNavigate();
  const mayLabel = useMay("operate");
  const everything = Object.keys(filter).length === 0;
  return (
    <>
      <Title>Endpoints</Title>
      <Words />
      {problems.map((one) => (
        <Notice key={one} tone="bad">
          {one}
        </Notice>
      ))}
      {rest && (
        <Notice tone="warn">
          <code>{rest}</code> is not a filter. <Link to={`/?q=${encodeURIComponent(rest)}`}>Find {rest}</Link>{" "}
          looks for digits, IPs, names and labels.
        </Notice>
      )}
      {problems.length === 0 && (
        <PagedTable
          query={found}
          expected={12}
          caption="endpoints"
          columns={ENDPOINT_COLUMNS}
          rowKey={endpointKey}
          empty="No endpoint fits. Endpoints appear once a switch that is read has learned them."
          total={everything ? health.data?.endpoints : undefined}
          exported={{ list: "endpoints", filters: exportFilter(filter) }}
          open={(one) => navigate(endpointPath(one.mac))}
          bulk={mayLabel ? (chosen, clear) => <LabelMany endpoints={chosen} done={clear} /> : undefined}
        />
      )}
    </>
  );
}

/** The filter as one types it; held in the URL, so that it can be sent to somebody. */
function Words() {
  const [typed, setTyped] = useTypedParam("q", TYPING_MS);
  return (
    <chakra.div marginBottom="10px">
      <Field
        aria-label="filters"
        data-search
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        placeholder="vlan:20 switch:quay-* life:quiet maker:… since:2d"
        fontFamily="mono"
        width="100%"
        maxWidth="720px"
        padding="7px 12px"
        spellCheck={false}
      />
      <chakra.span color="soft" fontSize="13px" display="block" marginTop="3px">
        {FILTER_WORDS.map((one) => `${one}:`).join(" ")} – with blanks between
      </chakra.span>
    </chakra.div>
  );
}

/** Sets the owner of many at once. */
function LabelMany({ endpoints, done }: { endpoints: Endpoint[]; done: () => void }) {
  const client = useQueryClient();
  const [owner, setOwner] = useState("");
  const save = useMutation({
    meta: { done: "The owner is saved." },
    mutationFn: () =>
      need(
        api.PATCH("/api/v1/labels", {
          body: {
            labels: Object.fromEntries(endpoints.map((one) => [one.mac, { owner }])),
            dry_run: false,
          },
        }),
      ),
    onSuccess: done,
    onSettled: () => client.invalidateQueries({ queryKey: ["search"] }),
  });
  return (
    <>
      <Field
        aria-label="owner of the selected"
        placeholder="owner"
        value={owner}
        maxLength={128}
        onChange={(event) => setOwner(event.target.value)}
      />
      <Button size="xs" variant="outline" loading={save.isPending} onClick={() => save.mutate()}>
        Set the owner
      </Button>
      {save.error && <ErrorNotice error={save.error} />}
    </>
  );
}
