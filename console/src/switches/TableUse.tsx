// How many addresses the table of a switch held over time, beside how many it can hold.
import { chakra } from "@chakra-ui/react";
import { AxisBottom, AxisLeft } from "@visx/axis";
import { scaleLinear, scaleTime } from "@visx/scale";
import type { Schemas } from "../api/client";
import { shortTime } from "../shared/time";

const WIDTH = 1000;
const HEIGHT = 170;
const LEFT = 74;
const BOTTOM = 24;

export function TableUse({ readings, size }: { readings: Schemas["ReadingSummary"][]; size: number | null }) {
  const points = readings
    .filter((one) => one.outcome === "complete")
    .map((one) => ({ at: Date.parse(one.taken_at), rows: one.rows }))
    .reverse();
  const first = points[0];
  const last = points.at(-1);
  if (!first || !last) return <p>No reading of it was complete yet.</p>;
  const most = Math.max(...points.map((one) => one.rows), 1);
  // The size is drawn where it is near; else it would flatten what happens.
  const top = size !== null && size < 3 * most ? size : most;
  const x = scaleTime({ domain: [first.at, last.at + 1], range: [LEFT, WIDTH - 10] });
  const y = scaleLinear({ domain: [0, top * 1.05], range: [HEIGHT - BOTTOM, 8], nice: true });
  const path = points
    .map((one, at) => `${at === 0 ? "M" : "L"}${x(one.at).toFixed(1)} ${y(one.rows).toFixed(1)}`)
    .join("");
  const style = { fill: "currentColor", fontSize: 11, stroke: "none" };
  return (
    <chakra.figure margin="0" color="soft">
      <chakra.svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="img"
        aria-label={`addresses over ${points.length} readings, ${last.rows} at last`}
      >
        <AxisLeft
          scale={y}
          left={LEFT}
          numTicks={4}
          stroke="currentColor"
          tickStroke="currentColor"
          tickLabelProps={{ ...style, textAnchor: "end", dy: 4, dx: -4 }}
        />
        <AxisBottom
          scale={x}
          top={HEIGHT - BOTTOM}
          numTicks={6}
          stroke="currentColor"
          tickStroke="currentColor"
          tickFormat={(value) => shortTime(new Date(Number(value)).toISOString())}
          tickLabelProps={{ ...style, textAnchor: "middle" }}
        />
        <chakra.path d={path} fill="none" stroke="tarn" strokeWidth={2} />
        {size !== null && top === size && (
          <chakra.line x1={LEFT} x2={WIDTH - 10} y1={y(size)} y2={y(size)} stroke="bad" strokeDasharray="6 4">
            <title>it holds {size}</title>
          </chakra.line>
        )}
      </chakra.svg>
      <chakra.figcaption fontSize="13px">
        {points.length} complete readings.{" "}
        {size === null
          ? "How many it can hold is not set."
          : `It can hold ${size}${top === size ? ", the dashed line" : ""}.`}
      </chakra.figcaption>
    </chakra.figure>
  );
}
