// Long lists are drawn as far as one has scrolled, and a screen further; on paper as a whole.
import { useCallback, useEffect, useState } from "react";

/** How many of `total` rows to draw, and a ref for an element behind the last of them. */
export function useReveal(total: number, step: number): [number, (end: HTMLElement | null) => void] {
  const [count, setCount] = useState(step);
  const [end, setEnd] = useState<HTMLElement | null>(null);
  useEffect(() => {
    if (end === null || count >= total) return;
    const seen = new IntersectionObserver(
      (entries) => {
        if (entries.some((one) => one.isIntersecting)) setCount(count + step);
      },
      { rootMargin: "800px" },
    );
    seen.observe(end);
    return () => seen.disconnect();
  }, [end, count, total, step]);
  useEffect(() => {
    const whole = () => setCount(Number.POSITIVE_INFINITY);
    window.addEventListener("beforeprint", whole);
    return () => window.removeEventListener("beforeprint", whole);
  }, []);
  return [count, useCallback((element: HTMLElement | null) => setEnd(element), [])];
}
