// Which switches were not read around an instant: what is said of them then is as of the reading before.
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { unreadSwitchesQuery } from "../api/resources/history";
import { switchPath, withAt } from "./links";
import { Notice } from "./QueryView";
import { shortTime } from "./time";

const NAMED = 3;

type Asked = { at?: string | undefined; on?: { switch?: string; group?: string } };

/** Nothing where all were read. Without an instant: lately. */
export function UnreadNotice({ at, on = {} }: Asked) {
  return <Unread at={at} on={on} as={(text) => <Notice tone="warn">{text}</Notice>} />;
}

export function Unread({ at, on = {}, as }: Asked & { as: (text: React.ReactNode) => React.ReactNode }) {
  const { data } = useQuery(unreadSwitchesQuery({ ...(at ? { at } : {}), ...on }));
  if (!data || data.length === 0) return null;
  const more = data.length - NAMED;
  return as(
    <>
      Not read {at ? `around ${shortTime(at)}` : "lately"}:{" "}
      {data.slice(0, NAMED).map((one, place) => (
        <span key={one.switch}>
          {place > 0 && ", "}
          <Link to={withAt(switchPath(one.switch), at)}>{one.switch}</Link>
          {` (${one.read_before ? `since ${shortTime(one.read_before)}` : "never before"}`}
          {one.read_after ? ` until ${shortTime(one.read_after)})` : ")"}
        </span>
      ))}
      {more > 0 && ` and ${more} more`}. What is said of {data.length === 1 ? "it" : "them"}{" "}
      {at ? "then" : "now"} is as of the reading before.
    </>,
  );
}
