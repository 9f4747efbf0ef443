// Reading many switches now: begin, watch, cancel, resume.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Round, type Switch } from "../api/client";
import { roundsQuery } from "../api/resources/switches";
import { Choice } from "../shared/Grid";
import { ErrorNotice } from "../shared/QueryView";
import { groupsOf, roundText, sitesOf } from "./model";

const ALL = "all";
const GROUP = "group:";
const SITE = "site:";

export function ReadMany({ switches }: { switches: Switch[] }) {
  const rounds = useQuery(roundsQuery);
  const client = useQueryClient();
  const [which, setWhich] = useState(ALL);
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: roundsQuery.queryKey }) };
  const begin = useMutation({
    mutationFn: () => need(api.POST("/api/v1/rounds", { body: wanted(which) })),
    ...settled,
  });
  const cancel = useMutation({
    mutationFn: (number: number) =>
      need(api.POST("/api/v1/rounds/{number}/cancel", { params: { path: { number } } })),
    ...settled,
  });
  const resume = useMutation({
    mutationFn: (number: number) =>
      need(api.POST("/api/v1/rounds/{number}/resume", { params: { path: { number } } })),
    ...settled,
  });
  const latest = rounds.data?.[0];
  const error = begin.error ?? cancel.error ?? resume.error;
  return (
    <>
      <Flex align="center" gap="12px" wrap="wrap" margin="0 0 12px">
        <chakra.label htmlFor="which">Read now</chakra.label>
        <Choice id="which" value={which} onChange={(event) => setWhich(event.target.value)}>
          <option value={ALL}>all switches</option>
          {groupsOf(switches).map((name) => (
            <option key={GROUP + name} value={GROUP + name}>
              group {name}
            </option>
          ))}
          {sitesOf(switches).map((name) => (
            <option key={SITE + name} value={SITE + name}>
              site {name}
            </option>
          ))}
        </Choice>
        <Button
          size="sm"
          bg="tarn"
          color="onTarn"
          disabled={latest?.state === "running" || begin.isPending}
          onClick={() => begin.mutate()}
        >
          Read
        </Button>
        {latest && (
          <Progress
            round={latest}
            cancel={() => cancel.mutate(latest.id)}
            resume={() => resume.mutate(latest.id)}
          />
        )}
      </Flex>
      {error && <ErrorNotice error={error} />}
    </>
  );
}

function wanted(which: string) {
  if (which.startsWith(GROUP)) return { group: which.slice(GROUP.length), all: false };
  if (which.startsWith(SITE)) return { site: which.slice(SITE.length), all: false };
  return { all: true };
}

function Progress({ round, cancel, resume }: { round: Round; cancel: () => void; resume: () => void }) {
  const running = round.state === "running";
  return (
    <>
      {running && (
        <chakra.progress aria-label="switches tried" value={round.tried} max={round.total} width="180px" />
      )}
      <chakra.span role="status" color="soft">
        {roundText(round)}
      </chakra.span>
      {running && (
        <Button size="sm" variant="outline" onClick={cancel}>
          Cancel
        </Button>
      )}
      {!running && round.state !== "done" && round.remaining.length > 0 && (
        <Button size="sm" variant="outline" onClick={resume}>
          Read the rest
        </Button>
      )}
    </>
  );
}
