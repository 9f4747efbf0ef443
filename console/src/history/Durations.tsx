// How long readings took, as dots over time; those that were not complete have a mark of their own.
import { chakra } from "@chakra-ui/react";
import type { Schemas } from "../api/client";
import { fullTime } from "../shared/time";
import { TimeChart } from "./TimeChart";

const MOST_DOTS = 1500;

export function Durations({ readings }: { readings: Schemas["ReadingSummary"][] }) {
  const dots = readings.slice(0, MOST_DOTS);
  const times = dots.map((one) => Date.parse(one.taken_at));
  return (
    <TimeChart
      label={`how long ${dots.length} readings took`}
      height={150}
      from={Math.min(...times)}
      to={Math.max(...times)}
      most={Math.max(...dots.map((one) => one.duration_ms), 10)}
      unit=" ms"
      caption={`Each dot is a reading; ✕ was not complete.${dots.length < readings.length ? ` The latest ${MOST_DOTS}.` : ""}`}
    >
      {({ x, y }) =>
        dots.map((one) => {
          const at = { x: x(Date.parse(one.taken_at)), y: y(one.duration_ms) };
          const title = `${one.switch}, ${fullTime(one.taken_at)}: ${one.duration_ms} ms, ${one.outcome}`;
          const key = `${one.switch} ${one.taken_at}`;
          return one.outcome === "complete" ? (
            <chakra.circle key={key} cx={at.x} cy={at.y} r={2.4} fill="tarn">
              <title>{title}</title>
            </chakra.circle>
          ) : (
            <chakra.path key={key} d={`M${at.x - 4} ${at.y - 4}l8 8m0 -8l-8 8`} stroke="bad" strokeWidth={2}>
              <title>{title}</title>
            </chakra.path>
          );
        })
      }
    </TimeChart>
  );
}
