// "12 min": how long ago an instant was, kept current while it is on the screen.
import { useSyncExternalStore } from "react";
import { useAt } from "./instant";
import { everyZone, span } from "./time";

const listeners = new Set<() => void>();
let now = Date.now();
let timer: ReturnType<typeof setInterval> | undefined;

function subscribe(listener: () => void): () => void {
  listeners.add(listener);
  timer ??= setInterval(() => {
    now = Date.now();
    for (const listener of listeners) listener();
  }, 1000);
  return () => {
    listeners.delete(listener);
    if (listeners.size === 0) {
      clearInterval(timer);
      timer = undefined;
    }
  };
}

/** The same until a second has passed, also while nobody has subscribed yet. */
function current(): number {
  if (!timer && Date.now() - now > 1000) now = Date.now();
  return now;
}

/** Milliseconds since the epoch, refreshed every second, for everything that shows an age. */
export function useNow(): number {
  return useSyncExternalStore(subscribe, current);
}

/** Whether an instant is past; drawn again only when it becomes so. */
export function useIsPast(at: string | null | undefined): boolean {
  return useSyncExternalStore(subscribe, () => !!at && Date.parse(at) <= current());
}

/** Drawn again only when its words differ, not every second. */
export function Age({ at, ago = false }: { at: string | null | undefined; ago?: boolean }) {
  const past = useAt();
  const words = useSyncExternalStore(subscribe, () =>
    at ? span((past ? Date.parse(past) : current()) - Date.parse(at)) : "never",
  );
  if (!at) return <span>never</span>;
  return (
    <time dateTime={at} title={everyZone(at)}>
      {words}
      {ago ? " ago" : ""}
    </time>
  );
}
