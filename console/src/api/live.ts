// The live stream: an event makes the views that show its subject refetch.
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

const GATHER_MS = 800;
/** What is large, or is asked for by many events, is asked again no sooner than this. */
const RESTS_MS: Record<string, number> = {
  switches: 5_000,
  health: 5_000,
  ports: 3_000,
  stays: 3_000,
  search: 2_000,
};
const ON_READING = ["switches", "switch", "ports", "neighbours", "health"];
const ON_CHANGE = ["search", "changes", "stays", "findings", "roll-call"];
const ON_RULES = ["rules", "roll-call", "stays"];

export type Live = {
  connected: boolean;
  /** Why nothing changes, though it is connected: the service here hears none that tracks. */
  standstill: string;
};

/** Listens while mounted. `after`: the event before all that the page has fetched, so that nothing is fetched twice
 * only because the stream was not there yet. */
export function useLive(after: string | undefined): Live {
  const client = useQueryClient();
  const [connected, setConnected] = useState(false);
  const [standstill, setStandstill] = useState("");
  const first = useRef(after);
  useEffect(() => {
    const query = first.current ? `?after=${encodeURIComponent(first.current)}` : "";
    const source = new EventSource(`/api/v1/stream${query}`);
    const gather = gatherer((keys) => refresh(client, keys));
    source.addEventListener("hello", (event) => {
      setConnected(true);
      setStandstill("");
      // Behind an event that was known the stream sends what was missed.
      if (!JSON.parse(event.data).resumed) gather.add([...ON_READING, ...ON_CHANGE, ...ON_RULES]);
    });
    source.addEventListener("error", () => setConnected(false));
    source.addEventListener("following", (event) => {
      const { heard, note } = JSON.parse(event.data);
      setStandstill(heard ? "" : note || "no service tracks");
    });
    source.addEventListener("reading", () => gather.add(ON_READING));
    source.addEventListener("change", () => gather.add(ON_CHANGE));
    source.addEventListener("finding", () => gather.add(["findings", "acting"]));
    source.addEventListener("rules", () => gather.add(ON_RULES));
    source.addEventListener("resync", () => gather.add([...ON_READING, ...ON_CHANGE, ...ON_RULES]));
    return () => {
      source.close();
      gather.stop();
    };
  }, [client]);
  return { connected, standstill };
}

/** Collects keys and hands them over together, at most once in GATHER_MS; each key no sooner than it has rested. */
export function gatherer(handOver: (keys: Set<string>) => void, rests: Record<string, number> = RESTS_MS) {
  let keys = new Set<string>();
  const last = new Map<string, number>();
  let timer: ReturnType<typeof setTimeout> | undefined;
  const due = () => {
    timer = undefined;
    const now = Date.now();
    const rested = new Set([...keys].filter((key) => now - (last.get(key) ?? 0) >= (rests[key] ?? 0)));
    keys = new Set([...keys].filter((key) => !rested.has(key)));
    for (const key of rested) last.set(key, now);
    if (keys.size > 0) timer = setTimeout(due, GATHER_MS);
    if (rested.size > 0) handOver(rested);
  };
  return {
    add(more: string[]) {
      for (const key of more) keys.add(key);
      timer ??= setTimeout(due, GATHER_MS);
    },
    stop() {
      clearTimeout(timer);
    },
  };
}

function refresh(client: QueryClient, keys: Set<string>): void {
  for (const key of keys) void client.invalidateQueries({ queryKey: [key] });
}
