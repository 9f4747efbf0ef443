// How long readings took, as dots over time; those that were not complete have a mark of their own.
import { chakra } from "@chakra-ui/react";
import { AxisBottom, AxisLeft } from "@visx/axis";
import { scaleLinear, scaleTime } from "@visx/scale";
import type { Schemas } from "../api/client";
import { clockTime, fullTime } from "../shared/time";

const WIDTH = 1000;
const HEIGHT = 150;
const LEFT = 74;
const BOTTOM = 24;
const MOST_DOTS = 1500;

export function Durations({ readings }: { readings: Schemas["ReadingSummary"][] }) {
  const dots = readings.slice(0, MOST_DOTS);
  const times = dots.map((one) => Date.parse(one.taken_at));
  const most = Math.max(...dots.map((one) => one.duration_ms), 10);
  const x = scaleTime({ domain: [Math.min(...times), Math.max(...times) + 1], range: [LEFT, WIDTH - 10] });
  const y = scaleLinear({ domain: [0, most], range: [HEIGHT - BOTTOM, 8], nice: true });
  const style = { fill: "currentColor", fontSize: 11, stroke: "none" };
  return (
    <chakra.figure margin="0 0 8px" color="soft">
      <chakra.svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="img"
        aria-label={`how long ${dots.length} readings took`}
      >
        <AxisLeft
          scale={y}
          left={LEFT}
          numTicks={4}
          stroke="currentColor"
          tickStroke="currentColor"
          tickFormat={(value) => `${Number(value)} ms`}
          tickLabelProps={{ ...style, textAnchor: "end", dy: 4, dx: -4 }}
        />
        <AxisBottom
          scale={x}
          top={HEIGHT - BOTTOM}
          numTicks={6}
          stroke="currentColor"
          tickStroke="currentColor"
          tickFormat={(value) => clockTime(new Date(Number(value)).toISOString())}
          tickLabelProps={{ ...style, textAnchor: "middle" }}
        />
        {dots.map((one) => {
          const at = { x: x(Date.parse(one.taken_at)), y: y(one.duration_ms) };
          const title = `${one.switch}, ${fullTime(one.taken_at)}: ${one.duration_ms} ms, ${one.outcome}`;
          return one.outcome === "complete" ? (
            <chakra.circle key={`${one.switch} ${one.taken_at}`} cx={at.x} cy={at.y} r={2.4} fill="tarn">
              <title>{title}</title>
            </chakra.circle>
          ) : (
            <chakra.path
              key={`${one.switch} ${one.taken_at}`}
              d={`M${at.x - 4} ${at.y - 4}l8 8m0 -8l-8 8`}
              stroke="bad"
              strokeWidth={2}
            >
              <title>{title}</title>
            </chakra.path>
          );
        })}
      </chakra.svg>
      <chakra.figcaption fontSize="13px">
        Each dot is a reading; ✕ was not complete.{" "}
        {dots.length < readings.length && `The latest ${MOST_DOTS}.`}
      </chakra.figcaption>
    </chakra.figure>
  );
}
