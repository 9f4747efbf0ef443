// Which switches were not read around an instant: what is said of them then is as of the reading before.
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { unreadSwitchesQuery } from "../api/resources/history";
import { switchPath, withAt } from "./links";
import { Notice } from "./QueryView";
import { shortTime } from "./time";

const NAMED = 3;

type Asked = { at?: string | undefined; on?: { switch?: string; group?: string } };

/** Without an instant: lately. */
function useUnread({ at, on }: Asked) {
  return useQuery(unreadSwitchesQuery({ ...(at ? { at } : {}), ...on })).data ?? [];
}

/** Nothing where all were read. */
export function Unread(asked: Asked) {
  const { at } = asked;
  const unread = useUnread(asked);
  if (unread.length === 0) return null;
  const few = unread.length <= NAMED;
  return (
    <span>
      {few ? "Not read" : `${unread.length} switches were not read`}{" "}
      {at ? `around ${shortTime(at)}` : "lately"}:{" "}
      {unread.slice(0, NAMED).map((one, place) => (
        <span key={one.switch}>
          {place > 0 && ", "}
          <Link to={withAt(switchPath(one.switch), at)}>{one.switch}</Link>
          {few && ` (${readAround(one)})`}
        </span>
      ))}
      {few ? "." : " and others."} What is said of {unread.length === 1 ? "it" : "them"} {at ? "then" : "now"}{" "}
      is as of the reading before.
    </span>
  );
}

/** The same, on its own; nothing, and no room taken, where all were read. */
export function UnreadNotice(asked: Asked) {
  return useUnread(asked).length === 0 ? null : (
    <Box marginBottom="10px">
      <Notice tone="warn">
        <Unread {...asked} />
      </Notice>
    </Box>
  );
}

function readAround(one: { read_before: string | null; read_after: string | null }): string {
  const before = one.read_before
    ? `last read ${shortTime(one.read_before)}`
    : "no reading before is on record";
  return one.read_after ? `${before}, next ${shortTime(one.read_after)}` : before;
}
