// The fields that say what is to be set at some levels.
import { Button, Flex } from "@chakra-ui/react";
import { useState } from "react";
import { Choice, Field } from "../shared/Grid";
import { ON_BREACH, parseVlans, type Values } from "./model";

const KEEP = "keep";
const INHERIT = "inherit";

/** Calls `mark` with the values that were chosen, and only those. */
export function ValueFields({ of, mark }: { of: string; mark: (values: Partial<Values>) => void }) {
  const [seats, setSeats] = useState("");
  const [watched, setWatched] = useState(KEEP);
  const [vlans, setVlans] = useState("");
  const [onBreach, setOnBreach] = useState(KEEP);
  const values = chosen(seats, watched, vlans, onBreach);
  const problem = typeof values === "string" ? values : undefined;
  return (
    <Flex align="center" gap="8px" wrap="wrap">
      <label htmlFor="set-seats">Seats</label>
      <Field
        id="set-seats"
        value={seats}
        width="90px"
        placeholder="keep"
        title="a number, none for no limit, or inherit. A phone with a computer takes two, a small switch its ports less one"
        onChange={(event) => setSeats(event.target.value)}
      />
      <label htmlFor="set-watched">Watched</label>
      <Choice id="set-watched" value={watched} onChange={(event) => setWatched(event.target.value)}>
        <option value={KEEP}>keep</option>
        <option value="yes">yes</option>
        <option value="no">no</option>
        <option value={INHERIT}>inherit</option>
      </Choice>
      <label htmlFor="set-vlans">VLANs</label>
      <Field
        id="set-vlans"
        value={vlans}
        width="120px"
        placeholder="keep"
        title="10, 20-29, or inherit"
        onChange={(event) => setVlans(event.target.value)}
      />
      <label htmlFor="set-breach">On breach</label>
      <Choice id="set-breach" value={onBreach} onChange={(event) => setOnBreach(event.target.value)}>
        <option value={KEEP}>keep</option>
        {ON_BREACH.map((one) => (
          <option key={one} value={one}>
            {one}
          </option>
        ))}
        <option value={INHERIT}>inherit</option>
      </Choice>
      <Button
        size="sm"
        variant="outline"
        disabled={problem !== undefined || (typeof values === "object" && Object.keys(values).length === 0)}
        onClick={() => typeof values === "object" && mark(values)}
      >
        Mark {of}
      </Button>
      {problem && <span role="alert">{problem}</span>}
    </Flex>
  );
}

/** What was chosen, or what is wrong with it. */
function chosen(seats: string, watched: string, vlans: string, onBreach: string): Partial<Values> | string {
  const values: Partial<Values> = {};
  const wanted = seats.trim();
  if (wanted === INHERIT) values.seats = null;
  else if (wanted === "none") values.seats = "no limit";
  else if (/^\d{1,5}$/.test(wanted) && Number(wanted) <= 10_000) values.seats = Number(wanted);
  else if (wanted !== "") return "Seats: a number, none or inherit.";
  if (watched !== KEEP) values.watched = watched === INHERIT ? null : watched === "yes";
  if (vlans.trim() === INHERIT) values.vlans = null;
  else if (vlans.trim() !== "") {
    const numbers = parseVlans(vlans);
    if (numbers === null) return "VLANs: 10, 20-29, or inherit.";
    values.vlans = numbers;
  }
  if (onBreach !== KEEP) values.on_breach = ON_BREACH.find((one) => one === onBreach) ?? null;
  return values;
}
