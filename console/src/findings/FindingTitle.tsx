// What a finding says, with a word where it may be so no more.
import { Link } from "react-router";
import type { Finding } from "../api/client";
import { useIsPast } from "../shared/Age";
import { findingPath } from "../shared/links";

export function FindingTitle({ one }: { one: Finding }) {
  const overdue = useIsPast(one.may_be_over_at);
  const notes = [overdue && "may be over", one.parts > 0 && `explains ${one.parts} more`].filter(Boolean);
  return (
    <>
      <Link to={findingPath(one.id)}>{one.title}</Link>
      {notes.length > 0 && <span className="soft"> ({notes.join("; ")})</span>}
    </>
  );
}
