// How many addresses the table of a switch held over time, beside how many it can hold.
import { chakra } from "@chakra-ui/react";
import type { Schemas } from "../api/client";
import { CHART, TimeChart } from "../history/TimeChart";

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
  const drawn = size !== null && size < 3 * most ? size : null;
  const summary =
    size === null
      ? "How many it can hold is not set."
      : `It can hold ${size}${drawn === null ? "" : ", the dashed line"}.`;
  return (
    <TimeChart
      label={`addresses over ${points.length} readings, ${last.rows} at last`}
      height={170}
      from={first.at}
      to={last.at}
      most={Math.max(most, drawn ?? 0) * 1.05}
      caption={`${points.length} complete readings. ${summary}`}
    >
      {({ x, y }) => (
        <>
          <chakra.path
            d={points
              .map((one, at) => `${at === 0 ? "M" : "L"}${x(one.at).toFixed(1)} ${y(one.rows).toFixed(1)}`)
              .join("")}
            fill="none"
            stroke="tarn"
            strokeWidth={2}
          />
          {drawn !== null && (
            <chakra.line
              x1={CHART.left}
              x2={CHART.width - CHART.right}
              y1={y(drawn)}
              y2={y(drawn)}
              stroke="bad"
              strokeDasharray="6 4"
            >
              <title>it holds {drawn}</title>
            </chakra.line>
          )}
        </>
      )}
    </TimeChart>
  );
}
