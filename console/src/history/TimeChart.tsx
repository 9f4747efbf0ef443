// A chart over time: its axes, and what is drawn between them.
import { chakra } from "@chakra-ui/react";
import { AxisBottom, AxisLeft } from "@visx/axis";
import { scaleLinear, scaleTime } from "@visx/scale";
import type { ReactNode } from "react";
import { shortTime } from "../shared/time";

export const CHART = { width: 1000, left: 74, right: 10, bottom: 24, top: 8 };
const TEXT = { fill: "currentColor", fontSize: 11, stroke: "none" };

export type Scales = { x: (ms: number) => number; y: (value: number) => number };

type Props = {
  /** What is seen, for people who hear it. */
  label: string;
  height: number;
  /** Milliseconds since the epoch. */
  from: number;
  to: number;
  most: number;
  /** Behind each number of the left axis. */
  unit?: string;
  caption: ReactNode;
  children: (scales: Scales) => ReactNode;
};

export function TimeChart({ label, height, from, to, most, unit = "", caption, children }: Props) {
  const x = scaleTime({
    domain: [from, Math.max(to, from + 1)],
    range: [CHART.left, CHART.width - CHART.right],
  });
  const y = scaleLinear({ domain: [0, most], range: [height - CHART.bottom, CHART.top], nice: true });
  return (
    <chakra.figure margin="0 0 8px" color="soft">
      <chakra.svg viewBox={`0 0 ${CHART.width} ${height}`} width="100%" role="img" aria-label={label}>
        <AxisLeft
          scale={y}
          left={CHART.left}
          numTicks={4}
          stroke="currentColor"
          tickStroke="currentColor"
          tickFormat={(value) => `${Number(value)}${unit}`}
          tickLabelProps={{ ...TEXT, textAnchor: "end", dy: 4, dx: -4 }}
        />
        <AxisBottom
          scale={x}
          top={height - CHART.bottom}
          numTicks={6}
          stroke="currentColor"
          tickStroke="currentColor"
          tickFormat={(value) => shortTime(new Date(Number(value)).toISOString())}
          tickLabelProps={{ ...TEXT, textAnchor: "middle" }}
        />
        {children({ x, y })}
      </chakra.svg>
      <chakra.figcaption fontSize="13px">{caption}</chakra.figcaption>
    </chakra.figure>
  );
}
