// Logic of findings, without rendering.
import type { Finding } from "../api/client";

const WEIGHT: Record<string, number> = { serious: 0, warning: 1, note: 2 };

/** 0 for the most serious. */
export const severityRank = (one: Finding) => WEIGHT[one.severity] ?? 9;

export type Bin = { from: number; to: number; count: number };

/** Pieces of evidence in equal bins from the first to now; what `count` has beyond the kept ones is not in them. */
export function occurrences(one: Pick<Finding, "evidence" | "first_at">, now: number, bins: number): Bin[] {
  const from = Math.min(Date.parse(one.first_at), ...one.evidence.map((piece) => Date.parse(piece.at)));
  const size = Math.max(1, (now - from) / bins);
  const found = Array.from({ length: bins }, (_, at) => ({
    from: from + at * size,
    to: from + (at + 1) * size,
    count: 0,
  }));
  for (const piece of one.evidence) {
    const bin = found[Math.min(bins - 1, Math.floor((Date.parse(piece.at) - from) / size))];
    if (bin) bin.count += 1;
  }
  return found;
}
