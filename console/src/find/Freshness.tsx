// How fresh the readings of each switch are, as a small field each; those that take longest to read.
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { memo, useMemo } from "react";
import { Link } from "react-router";
import type { Switch } from "../api/client";
import { readingsQuery } from "../api/resources/history";
import { summed } from "../history/model";
import { useNow } from "../shared/Age";
import { Heading, More } from "../shared/Grid";
import { switchPath } from "../shared/links";
import { clockTime } from "../shared/time";
import { rowsOf } from "../table/paged";
import { type Freshness as Fresh, freshness } from "./model";

const LOOKS: Record<Fresh, { bg: string; sign: string; words: string }> = {
  fresh: { bg: "good", sign: "", words: "read in time" },
  late: { bg: "warn", sign: "◔", words: "late" },
  old: { bg: "bad", sign: "✕", words: "not read for long, or never" },
  off: { bg: "line", sign: "–", words: "not watched" },
};
const SLOWEST = 5;
/** A thousand fields are not drawn every second. */
const STEP_MS = 10_000;

const FIELDS = {
  "& a": {
    width: "22px",
    height: "22px",
    borderRadius: "4px",
    color: "sheet",
    textAlign: "center",
    lineHeight: "22px",
    fontSize: "12px",
    fontWeight: 700,
  },
  "& .fresh": { bg: "good" },
  "& .late": { bg: "warn" },
  "& .old": { bg: "bad" },
  "& .off": { bg: "line" },
} as const;

export function FreshnessOf({ switches }: { switches: Switch[] }) {
  const now = Math.floor(useNow() / STEP_MS) * STEP_MS;
  return <Fields switches={switches} now={now} />;
}

/** Drawn again only as time goes on by a step, or a switch was read. */
const Fields = memo(function Fields({ switches, now }: { switches: Switch[]; now: number }) {
  const sites = useMemo(() => {
    const found = new Map<string, Switch[]>();
    for (const one of switches) found.set(one.site, [...(found.get(one.site) ?? []), one]);
    return [...found].sort(([a], [b]) => a.localeCompare(b));
  }, [switches]);
  const states = new Map(switches.map((one) => [one.name, freshness(one, now)]));
  const there = new Set(states.values());
  return (
    <>
      <Heading>
        How fresh it is <More to="/switches?sort=read_at">switches by reading</More>
      </Heading>
      <Flex gap="10px 22px" wrap="wrap">
        {sites.map(([site, inside]) => (
          <Box key={site}>
            <chakra.div color="soft" fontSize="13px">
              {site || "no site"}
            </chakra.div>
            <Flex gap="3px" wrap="wrap" maxWidth="420px" css={FIELDS}>
              {inside.map((one) => (
                <Field
                  key={one.name}
                  name={one.name}
                  read_at={one.read_at}
                  state={states.get(one.name) ?? "off"}
                />
              ))}
            </Flex>
          </Box>
        ))}
        <Slowest />
      </Flex>
      <Flex gap="4px 16px" wrap="wrap" color="soft" fontSize="13px" marginTop="6px">
        {(Object.keys(LOOKS) as Fresh[])
          .filter((state) => there.has(state))
          .map((state) => (
            <span key={state}>
              <chakra.span
                display="inline-block"
                width="12px"
                height="12px"
                borderRadius="3px"
                bg={LOOKS[state].bg}
                verticalAlign="-1px"
              />{" "}
              {LOOKS[state].sign} {LOOKS[state].words}
            </span>
          ))}
      </Flex>
    </>
  );
});

const Field = memo(function Field(props: { name: string; read_at: string | null; state: Fresh }) {
  const { name, read_at, state } = props;
  const label = `${name}: ${read_at ? `read at ${clockTime(read_at)}` : "never read"}`;
  return (
    <Link
      className={state}
      to={switchPath(name)}
      title={label}
      aria-label={`${label}, ${LOOKS[state].words}`}
    >
      {LOOKS[state].sign}
    </Link>
  );
});

function Slowest() {
  const found = useInfiniteQuery(readingsQuery("", null));
  const sums = useMemo(() => summed(rowsOf(found.data)).slice(0, SLOWEST), [found.data]);
  if (sums.length === 0) return null;
  return (
    <Box>
      <chakra.div color="soft" fontSize="13px">
        longest to read, lately
      </chakra.div>
      <Flex gap="2px 14px" wrap="wrap">
        {sums.map((one) => (
          <span key={one.switch}>
            <chakra.span color="tarn" fontWeight={600}>
              <Link to={`/history/readings?of=${encodeURIComponent(one.switch)}`}>{one.switch}</Link>
            </chakra.span>{" "}
            {one.median_ms} ms
            {one.failed > 0 && <chakra.span color="bad"> ✕{one.failed}</chakra.span>}
          </span>
        ))}
      </Flex>
    </Box>
  );
}
