// All findings, by state.
import { Button, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { type FindingState, findingsQuery } from "../api/resources/findings";
import { Exports } from "../shared/Exports";
import { Sheet, Title } from "../shared/Grid";
import { Nothing, QueryView } from "../shared/QueryView";
import { FindingTable, worstFirst } from "./FindingTable";

const STATES: FindingState[] = ["open", "acknowledged", "cleared"];
const EMPTY: Record<FindingState, string> = {
  open: "No open findings.",
  acknowledged: "No findings are acknowledged.",
  cleared: "No findings have cleared yet.",
};

export function FindingsPage() {
  const [params, setParams] = useSearchParams();
  const asked = params.get("state");
  const state = STATES.find((one) => one === asked) ?? "open";
  const parts = params.get("parts") === "yes";
  const findings = useQuery(findingsQuery({ state: [state], parts, limit: 500 }));
  return (
    <>
      <Title>Findings</Title>
      <Flex gap="8px" align="center" margin="0 0 12px" wrap="wrap">
        {STATES.map((one) => (
          <Button
            key={one}
            size="sm"
            variant="outline"
            aria-pressed={one === state}
            bg={one === state ? "tint" : "sheet"}
            fontWeight={one === state ? 700 : 500}
            onClick={() => setParams({ state: one, ...(parts ? { parts: "yes" } : {}) })}
          >
            {one}
          </Button>
        ))}
        <label>
          <input
            type="checkbox"
            checked={parts}
            onChange={() => setParams({ state, ...(parts ? {} : { parts: "yes" }) })}
          />{" "}
          also those that another one explains
        </label>
        <Exports list="findings" filters={{ state }} />
      </Flex>
      <Sheet tabIndex={0} aria-label="findings">
        <QueryView query={findings} rows={8}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>{EMPTY[state]}</Nothing>
            ) : (
              <FindingTable findings={state === "cleared" ? page.items : worstFirst(page.items)} />
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}
