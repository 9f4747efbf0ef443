// What is set at each level, with the rolls; and the form that marks a change at a level.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { rulesQuery } from "../api/resources/rules";
import { Field, Grid, Heading, Sheet } from "../shared/Grid";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { fullTime } from "../shared/time";
import { addressText, chosenLevel, type Level, levelText, marked, valueText } from "./model";
import { PendingEdits } from "./PendingEdits";
import { RulesFile } from "./RulesFile";
import { useRules } from "./RulesLayout";
import { ValueFields } from "./Values";
import { WhereChoice } from "./WhereChoice";

type LevelRules = Schemas["PortRules"];

export function LevelsPage() {
  const rules = useQuery(rulesQuery);
  return (
    <>
      <PendingEdits />
      <LevelForm />
      <QueryView query={rules}>
        {(levels) =>
          levels.length === 0 ? (
            <Nothing>No rule is set yet.</Nothing>
          ) : (
            <>
              <Sheet tabIndex={0} aria-label="rules by level">
                <Levels levels={levels} />
              </Sheet>
              <Roll levels={levels} />
            </>
          )
        }
      </QueryView>
      <RulesFile />
    </>
  );
}

function LevelForm() {
  const { pending, setPending } = useRules();
  const [where, setWhere] = useState("");
  const [ports, setPorts] = useState("");
  const chosen = chosenLevel(where);
  const level: Level = chosen.switch && ports.trim() ? { ...chosen, ports: ports.trim() } : chosen;
  return (
    <Flex gap="8px" align="center" wrap="wrap" margin="0 0 12px">
      <WhereChoice id="level" label="Set for" where={where} setWhere={setWhere} />
      {chosen.switch && (
        <Field
          aria-label="range of ports"
          placeholder="all ports, or p1-p20"
          value={ports}
          onChange={(event) => setPorts(event.target.value)}
        />
      )}
      <ValueFields of={levelText(level)} mark={(values) => setPending(marked(pending, [level], values))} />
    </Flex>
  );
}

function Levels({ levels }: { levels: LevelRules[] }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>Level</th>
          <th>Seats</th>
          <th>Watched</th>
          <th>VLANs</th>
          <th>On breach</th>
          <th>On uplinks</th>
          <th className="n">Enrolled</th>
          <th>Note</th>
        </tr>
      </thead>
      <tbody>
        {levels.map((one) => (
          <tr key={one.level}>
            <td>
              <strong>{one.level}</strong>
            </td>
            <Setting value={one.seats} />
            <Setting value={one.watched} />
            <Setting value={one.vlans} />
            <Setting value={one.on_breach} />
            <Setting value={one.uplinks} />
            <td className="n">{one.roll.length || ""}</td>
            <td>{one.note}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}

function Setting({ value }: { value: unknown }) {
  return value === null ? <td className="soft">·</td> : <td>{valueText(value)}</td>;
}

function Roll({ levels }: { levels: LevelRules[] }) {
  const client = useQueryClient();
  const strike = useMutation({
    mutationFn: (number: number) =>
      need(api.DELETE("/api/v1/rules/roll/{number}", { params: { path: { number } } })),
    onSettled: () => client.invalidateQueries(),
  });
  const entries = levels.flatMap((level) => level.roll.map((entry) => ({ level: level.level, entry })));
  if (entries.length === 0) return null;
  return (
    <>
      <Heading>Enrolled</Heading>
      {strike.error && <ErrorNotice error={strike.error} />}
      <Sheet tabIndex={0} aria-label="rolls" maxHeight="60vh" overflow="auto">
        <Grid>
          <thead>
            <tr>
              <th>Address or prefix</th>
              <th>VLAN</th>
              <th>Level</th>
              <th>Note</th>
              <th>Owner</th>
              <th>Ends</th>
              <th>By</th>
              <th>Via</th>
              <th>Change</th>
            </tr>
          </thead>
          <tbody>
            {entries.slice(0, 1000).map(({ level, entry }) => (
              <tr key={entry.id}>
                <td className="mono">{addressText(entry.prefix)}</td>
                <td>{entry.vlan ?? "any"}</td>
                <td>{level}</td>
                <td>{entry.note}</td>
                <td>{entry.owner}</td>
                <td>
                  {entry.expires_at && (
                    <chakra.span color={entry.expired ? "bad" : undefined} title={fullTime(entry.expires_at)}>
                      {entry.expired ? "expired" : entry.expires_at.slice(0, 10)}
                    </chakra.span>
                  )}
                </td>
                <td>{entry.by}</td>
                <td>{entry.via}</td>
                <td className="n">
                  <Button
                    size="xs"
                    variant="outline"
                    aria-label={`Strike off ${entry.prefix}`}
                    onClick={() => strike.mutate(entry.id)}
                  >
                    Strike off
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </Grid>
      </Sheet>
      {entries.length > 1000 && <p>The first 1,000 of {entries.length} entries.</p>}
    </>
  );
}
