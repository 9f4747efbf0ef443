// Where an endpoint was, as bars on a time line. A notch in a bar: quiet for a while, and held; a gap:
// the stay had ended.
import { chakra } from "@chakra-ui/react";
import { useState } from "react";
import type { QuietTime, Stay } from "../api/client";
import { useNow } from "../shared/Age";
import { TimeLink, useAt } from "../shared/instant";
import { portPath } from "../shared/links";
import { type TimeLine as Line, ticks, tickText, timeLine } from "./model";

const LANE = 24;
const LEFT = 190;
const WIDTH = 1000;
const LONGEST_MS = 30 * 86_400_000;
const LIFE: Record<string, string> = { present: "tarn", quiet: "warn", gone: "soft" };

export function TimeLine({ stays, quiet }: { stays: Stay[]; quiet: QuietTime[] }) {
  const now = useNow();
  const at = useAt();
  const [all, setAll] = useState(false);
  const whole = timeLine(stays, quiet, now, LONGEST_MS);
  const uplinks = whole.lanes.filter((lane) => lane.uplink).length;
  const hide = !all && uplinks < whole.lanes.length;
  const line = { ...whole, lanes: hide ? whole.lanes.filter((lane) => !lane.uplink) : whole.lanes };
  const x = (at: number) => ((at - line.from) / Math.max(1, line.to - line.from)) * WIDTH;
  const labels = ticks(line.from, line.to, 7);
  const height = line.lanes.length * LANE + 24;
  return (
    <>
      {uplinks > 0 && uplinks < whole.lanes.length && (
        <chakra.label padding="6px 10px 0" display="block" color="soft" fontSize="13px">
          <input type="checkbox" checked={all} onChange={() => setAll(!all)} /> also the {uplinks} uplinks it
          was seen through
        </chakra.label>
      )}
      <chakra.div display="flex" padding="8px 10px" overflowX="auto">
        <chakra.div width={`${LEFT}px`} flexShrink={0} paddingTop="20px">
          {line.lanes.map((lane) => (
            <chakra.div
              key={`${lane.switch} ${lane.port}`}
              height={`${LANE}px`}
              fontWeight={lane.uplink ? 400 : 700}
              color={lane.uplink ? "soft" : "tarn"}
              whiteSpace="nowrap"
              overflow="hidden"
              textOverflow="ellipsis"
            >
              <TimeLink to={portPath(lane.switch, lane.port)}>
                {lane.switch} · {lane.port}
              </TimeLink>
              {lane.uplink && " (uplink)"}
            </chakra.div>
          ))}
        </chakra.div>
        <chakra.svg
          viewBox={`0 0 ${WIDTH} ${height}`}
          width="100%"
          minWidth="500px"
          height={`${height}px`}
          preserveAspectRatio="none"
          role="img"
          aria-label={`stays at ${line.lanes.length} places`}
        >
          {labels.map((at) => (
            <chakra.line key={at} x1={x(at)} x2={x(at)} y1={18} y2={height} stroke="line" />
          ))}
          {line.lanes.map((lane, row) =>
            lane.bars.map((bar) => (
              <chakra.rect
                key={`${bar.from} ${bar.to}`}
                x={x(bar.from)}
                y={20 + row * LANE + 4}
                width={Math.max(2, x(bar.to) - x(bar.from))}
                height={LANE - 10}
                fill={LIFE[bar.life] ?? "soft"}
                opacity={lane.uplink ? 0.45 : 1}
              >
                <title>{bar.title}</title>
              </chakra.rect>
            )),
          )}
          {line.lanes.map((lane, row) =>
            lane.quiet.map((one) => (
              <chakra.rect
                key={`${one.from} ${one.to}`}
                x={x(one.from)}
                y={20 + row * LANE + 4}
                width={Math.max(2, x(one.to) - x(one.from))}
                height={(LANE - 10) / 2}
                fill="sheet"
              >
                <title>{one.title}</title>
              </chakra.rect>
            )),
          )}
          {at && Date.parse(at) >= line.from && (
            <chakra.line
              x1={x(Date.parse(at))}
              x2={x(Date.parse(at))}
              y1={4}
              y2={height}
              stroke="kite"
              strokeWidth={3}
            >
              <title>the instant of this view</title>
            </chakra.line>
          )}
        </chakra.svg>
      </chakra.div>
      <TimeScale line={line} labels={labels} />
      {line.lanes.some((lane) => lane.quiet.length > 0) && (
        <chakra.p padding="0 10px 8px" color="soft" fontSize="13px">
          A notch: quiet for a while, and held. A gap: gone.
        </chakra.p>
      )}
    </>
  );
}

/** The labels below the bars, apart from the drawing so that text is never stretched. */
function TimeScale({ line, labels }: { line: Line; labels: number[] }) {
  const share = (at: number) => (100 * (at - line.from)) / Math.max(1, line.to - line.from);
  return (
    <chakra.div
      position="relative"
      height="20px"
      marginLeft={`${LEFT + 10}px`}
      marginRight="10px"
      color="soft"
    >
      {labels.map((at) => (
        <chakra.span
          key={at}
          position="absolute"
          left={`${share(at)}%`}
          transform="translateX(-50%)"
          fontSize="12px"
        >
          {tickText(at, line.from, line.to)}
        </chakra.span>
      ))}
    </chakra.div>
  );
}
