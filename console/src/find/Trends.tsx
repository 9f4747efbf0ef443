// What the last hours brought, as small bars; each leads to its list.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { hoursQuery } from "../api/resources/history";
import { Heading, Sheet } from "../shared/Grid";
import { Nothing, QueryView } from "../shared/QueryView";
import { shortTime } from "../shared/time";

type Hour = Schemas["Hour"];

const SERIES: { of: keyof Hour & string; title: string; path: string; tone: string }[] = [
  { of: "changes", title: "Changes an hour", path: "/history", tone: "tarn" },
  { of: "new_endpoints", title: "Endpoints never seen before", path: "/endpoints?q=since:1d", tone: "tarn" },
  { of: "findings", title: "Findings opened", path: "/findings", tone: "kite" },
  { of: "incomplete", title: "Readings not complete", path: "/history/readings", tone: "bad" },
];
const SPANS: [text: string, hours: number][] = [
  ["a day", 24],
  ["a week", 168],
];
const BAR = 10;
const HEIGHT = 64;

export function Trends() {
  const [many, setMany] = useState(24);
  const hours = useQuery(hoursQuery(many));
  return (
    <>
      <Flex align="baseline" gap="10px" wrap="wrap">
        <Heading>Hour by hour</Heading>
        {SPANS.map(([text, span]) => (
          <Button
            key={span}
            size="xs"
            variant="outline"
            aria-pressed={span === many}
            bg={span === many ? "tint" : undefined}
            onClick={() => setMany(span)}
          >
            {text}
          </Button>
        ))}
      </Flex>
      <QueryView query={hours} rows={3}>
        {(rows) =>
          rows.every((one) => one.readings === 0) ? (
            <Nothing>Nothing has been read in this time.</Nothing>
          ) : (
            <Box
              display="grid"
              gap="12px"
              gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr", xl: "repeat(4, 1fr)" }}
            >
              {SERIES.map((one) => (
                <Series key={one.of} hours={rows} {...one} />
              ))}
            </Box>
          )
        }
      </QueryView>
    </>
  );
}

function Series({ hours, of, title, path, tone }: { hours: Hour[] } & (typeof SERIES)[number]) {
  const value = (one: Hour) => Number(one[of]);
  const most = Math.max(1, ...hours.map(value));
  const total = hours.reduce((sum, one) => sum + value(one), 0);
  const width = hours.length * BAR;
  const first = hours[0];
  return (
    <Sheet padding="10px 12px">
      <chakra.figure margin="0">
        <Flex justify="space-between" align="baseline" gap="8px">
          <chakra.span color="tarn" fontWeight={600}>
            <Link to={path}>{title}</Link>
          </chakra.span>
          <chakra.strong fontVariantNumeric="tabular-nums">{total.toLocaleString()}</chakra.strong>
        </Flex>
        <chakra.svg
          viewBox={`0 0 ${width} ${HEIGHT}`}
          width="100%"
          height={`${HEIGHT}px`}
          preserveAspectRatio="none"
          role="img"
          aria-label={`${title}: ${total} in ${hours.length} hours, ${most} at most in one`}
        >
          <chakra.line x1="0" x2={width} y1={HEIGHT - 1} y2={HEIGHT - 1} stroke="line" strokeWidth={2} />
          {hours.map((one, at) => {
            const height = value(one) === 0 ? 0 : Math.max(3, ((HEIGHT - 4) * value(one)) / most);
            return (
              <chakra.rect
                key={one.began_at}
                x={at * BAR + 1}
                y={HEIGHT - 1 - height}
                width={BAR - 2}
                height={height}
                fill={tone}
                opacity={at === hours.length - 1 ? 0.5 : 1}
              >
                <title>{`from ${shortTime(one.began_at)}: ${value(one)}`}</title>
              </chakra.rect>
            );
          })}
        </chakra.svg>
        <chakra.figcaption color="soft" fontSize="12px" display="flex" justifyContent="space-between">
          <span>{first && shortTime(first.began_at)}</span>
          <span>{most === 1 && total === 0 ? "none" : `${most.toLocaleString()} at most in an hour`}</span>
          <span>now</span>
        </chakra.figcaption>
      </chakra.figure>
    </Sheet>
  );
}
