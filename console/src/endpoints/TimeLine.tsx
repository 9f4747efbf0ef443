// Where an endpoint was, as bars on a time line that can be zoomed and moved. A notch in a bar: quiet for a while,
// and held; a hatched part: its switch was read too seldom; a gap: the stay had ended. Findings about it stand above the bars.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { Link } from "react-router";
import type { Finding, QuietTime, ReadingPause, Stay } from "../api/client";
import { useNow } from "../shared/Age";
import { TimeLink, useAt } from "../shared/instant";
import { findingPath, portPath } from "../shared/links";
import { shortTime } from "../shared/time";
import { type Lane, ticks, tickText, timeLine, type Window, within, zoomed } from "./model";

const LANE = 24;
const LEFT = 190;
const WIDTH = 1000;
const TOP = 20;
const LONGEST_MS = 30 * 86_400_000;
const LIFE: Record<string, string> = { present: "tarn", quiet: "warn", gone: "soft" };
const SPANS: [text: string, ms: number][] = [
  ["1 h", 3_600_000],
  ["8 h", 8 * 3_600_000],
  ["1 day", 86_400_000],
  ["7 days", 7 * 86_400_000],
];
const STEP_IN = 0.6;

export function TimeLine({
  stays,
  quiet,
  pauses,
  findings = [],
}: {
  stays: Stay[];
  quiet: QuietTime[];
  pauses: ReadingPause[];
  findings?: Finding[];
}) {
  const now = useNow();
  const at = useAt();
  const [all, setAll] = useState(false);
  const [chosen, setChosen] = useState<Window | null>(null);
  const whole = timeLine(stays, quiet, pauses, now, LONGEST_MS);
  const uplinks = whole.lanes.filter((lane) => lane.uplink).length;
  const hide = !all && uplinks < whole.lanes.length;
  const lanes = hide ? whole.lanes.filter((lane) => !lane.uplink) : whole.lanes;
  const shown = chosen ? within(whole, chosen.from, chosen.to) : { from: whole.from, to: whole.to };
  const size = shown.to - shown.from;
  const zoom = (by: number) => setChosen(zoomed(whole, shown, (shown.from + shown.to) / 2, by));
  const move = (by: number) => setChosen(within(whole, shown.from + by * size, shown.to + by * size));
  const onKey = (event: React.KeyboardEvent) => {
    const act: Record<string, () => void> = {
      "+": () => zoom(STEP_IN),
      "-": () => zoom(1 / STEP_IN),
      ArrowLeft: () => move(-0.25),
      ArrowRight: () => move(0.25),
      "0": () => setChosen(null),
    };
    const wanted = act[event.key];
    if (!wanted || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    wanted();
  };
  return (
    <>
      <Flex gap="6px" align="center" wrap="wrap" padding="8px 10px 0" _print={{ display: "none" }}>
        {SPANS.filter(([, ms]) => ms < whole.to - whole.from).map(([text, ms]) => (
          <Button
            key={text}
            size="xs"
            variant="outline"
            onClick={() => setChosen(within(whole, whole.to - ms, whole.to))}
          >
            last {text}
          </Button>
        ))}
        <Button size="xs" variant="outline" disabled={!chosen} onClick={() => setChosen(null)}>
          all of it
        </Button>
        <Button size="xs" variant="outline" aria-label="nearer" onClick={() => zoom(STEP_IN)}>
          +
        </Button>
        <Button
          size="xs"
          variant="outline"
          aria-label="further away"
          disabled={!chosen}
          onClick={() => zoom(1 / STEP_IN)}
        >
          −
        </Button>
        <Button
          size="xs"
          variant="outline"
          aria-label="earlier"
          disabled={!chosen}
          onClick={() => move(-0.5)}
        >
          ←
        </Button>
        <Button size="xs" variant="outline" aria-label="later" disabled={!chosen} onClick={() => move(0.5)}>
          →
        </Button>
        <chakra.span color="soft" fontSize="13px" role="status">
          {shortTime(new Date(shown.from).toISOString())} to {shortTime(new Date(shown.to).toISOString())}
        </chakra.span>
        {uplinks > 0 && uplinks < whole.lanes.length && (
          <chakra.label color="soft" fontSize="13px" marginLeft="auto">
            <input type="checkbox" checked={all} onChange={() => setAll(!all)} /> also the {uplinks} uplinks
            it was seen through
          </chakra.label>
        )}
      </Flex>
      <chakra.div display="flex" padding="8px 10px" overflowX="auto">
        <chakra.div width={`${LEFT}px`} flexShrink={0} paddingTop={`${TOP}px`}>
          {lanes.map((lane) => (
            <LaneName key={`${lane.switch} ${lane.port}`} lane={lane} />
          ))}
        </chakra.div>
        <chakra.div
          position="relative"
          flex="1"
          minWidth="400px"
          tabIndex={0}
          role="group"
          aria-label="time line: plus and minus zoom, arrows move, 0 shows all"
          onKeyDown={onKey}
        >
          <Findings findings={findings} shown={shown} />
          <Drawing
            lanes={lanes}
            shown={shown}
            at={at}
            choose={(next) => setChosen(within(whole, next.from, next.to))}
          />
          <TimeScale shown={shown} />
        </chakra.div>
      </chakra.div>
      <chakra.p padding="0 10px 8px" color="soft" fontSize="13px">
        {lanes.some((lane) => lane.quiet.length > 0) && "A notch: quiet for a while, and held. A gap: gone. "}
        {lanes.some((lane) => lane.unread.length > 0) &&
          "Hatched: its switch was read too seldom to know that it was there. "}
        Drag over a part to see it nearer.
      </chakra.p>
    </>
  );
}

function LaneName({ lane }: { lane: Lane }) {
  return (
    <chakra.div
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
  );
}

const share = (at: number, shown: Window) => (100 * (at - shown.from)) / Math.max(1, shown.to - shown.from);

/** A mark where each finding began, with its title; it leads to its page. */
function Findings({ findings, shown }: { findings: Finding[]; shown: Window }) {
  return findings
    .map((one) => ({ one, at: Date.parse(one.opened_at) }))
    .filter(({ at }) => at >= shown.from && at <= shown.to)
    .map(({ one, at }) => (
      <chakra.span
        key={one.id}
        position="absolute"
        top="0"
        left={`${share(at, shown)}%`}
        transform="translateX(-50%)"
        color={one.state === "cleared" ? "soft" : "bad"}
        fontSize="14px"
        title={`${shortTime(one.opened_at)}: ${one.title}`}
      >
        <Link to={findingPath(one.id)} aria-label={`finding: ${one.title}`}>
          ▲
        </Link>
      </chakra.span>
    ));
}

function Drawing(props: {
  lanes: Lane[];
  shown: Window;
  at: string | undefined;
  choose: (next: Window) => void;
}) {
  const { lanes, shown, at, choose } = props;
  const box = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<Window | null>(null);
  const height = lanes.length * LANE + TOP + 4;
  const x = (time: number) => (share(time, shown) * WIDTH) / 100;
  const timeAt = (event: React.PointerEvent) => {
    const area = box.current?.getBoundingClientRect();
    if (!area) return shown.from;
    return shown.from + ((event.clientX - area.left) / area.width) * (shown.to - shown.from);
  };
  const done = () => {
    if (drag && Math.abs(x(drag.to) - x(drag.from)) > 8) {
      choose({ from: Math.min(drag.from, drag.to), to: Math.max(drag.from, drag.to) });
    }
    setDrag(null);
  };
  return (
    <chakra.svg
      ref={box}
      viewBox={`0 0 ${WIDTH} ${height}`}
      width="100%"
      height={`${height}px`}
      preserveAspectRatio="none"
      role="img"
      aria-label={`stays at ${lanes.length} places`}
      cursor="crosshair"
      touchAction="pan-y"
      onPointerDown={(event) => setDrag({ from: timeAt(event), to: timeAt(event) })}
      onPointerMove={(event) => drag && setDrag({ ...drag, to: timeAt(event) })}
      onPointerUp={done}
      onPointerLeave={done}
    >
      <defs>
        <pattern id="unread" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <chakra.rect width="3.5" height="8" fill="sheet" />
        </pattern>
      </defs>
      {ticks(shown.from, shown.to, 7).map((time) => (
        <chakra.line key={time} x1={x(time)} x2={x(time)} y1={TOP - 2} y2={height} stroke="line" />
      ))}
      {lanes.map((lane, row) => (
        <g key={`${lane.switch} ${lane.port}`}>
          {lane.bars.map((bar) => (
            <chakra.rect
              key={`${bar.from} ${bar.to}`}
              x={x(bar.from)}
              y={TOP + row * LANE + 4}
              width={Math.max(2, x(bar.to) - x(bar.from))}
              height={LANE - 10}
              fill={LIFE[bar.life] ?? "soft"}
              opacity={lane.uplink ? 0.45 : 1}
            >
              <title>{bar.title}</title>
            </chakra.rect>
          ))}
          {lane.unread.map((one) => (
            <rect
              key={`${one.from} ${one.to}`}
              x={x(one.from)}
              y={TOP + row * LANE + 4}
              width={Math.max(2, x(one.to) - x(one.from))}
              height={LANE - 10}
              fill="url(#unread)"
            >
              <title>{one.title}</title>
            </rect>
          ))}
          {lane.quiet.map((one) => (
            <chakra.rect
              key={`${one.from} ${one.to}`}
              x={x(one.from)}
              y={TOP + row * LANE + 4}
              width={Math.max(2, x(one.to) - x(one.from))}
              height={(LANE - 10) / 2}
              fill="sheet"
            >
              <title>{one.title}</title>
            </chakra.rect>
          ))}
        </g>
      ))}
      {at && (
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
      {drag && (
        <chakra.rect
          x={Math.min(x(drag.from), x(drag.to))}
          y={0}
          width={Math.abs(x(drag.to) - x(drag.from))}
          height={height}
          fill="kite"
          opacity={0.2}
        />
      )}
    </chakra.svg>
  );
}

/** The labels below the bars, apart from the drawing so that text is never stretched. */
function TimeScale({ shown }: { shown: Window }) {
  return (
    <chakra.div position="relative" height="20px" color="soft">
      {ticks(shown.from, shown.to, 7).map((time) => (
        <chakra.span
          key={time}
          position="absolute"
          left={`${share(time, shown)}%`}
          transform="translateX(-50%)"
          fontSize="12px"
          whiteSpace="nowrap"
        >
          {tickText(time, shown.from, shown.to)}
        </chakra.span>
      ))}
    </chakra.div>
  );
}
