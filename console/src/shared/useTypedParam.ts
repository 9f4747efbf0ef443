// A text that is typed and kept in the URL. The URL lags behind whoever types fast: what comes back late must not
// take back what was typed since.
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { usePutParam } from "./usePutParam";

/** [what is typed, set it, what the URL has]. `pauseMs`: without a key for so long, it goes into the URL. */
export function useTypedParam(name: string, pauseMs: number): [string, (typed: string) => void, string] {
  const [params] = useSearchParams();
  const put = usePutParam({ replace: true });
  const text = params.get(name) ?? "";
  const [typed, setTyped] = useState(text);
  const onTheirWay = useRef<string[]>([]);
  useEffect(() => {
    const timer = setTimeout(() => {
      const wanted = typed.trim();
      if (wanted === (onTheirWay.current.at(-1) ?? text)) return;
      onTheirWay.current.push(wanted);
      put(name, wanted);
    }, pauseMs);
    return () => clearTimeout(timer);
  }, [typed, text, name, pauseMs, put]);
  useEffect(() => {
    const later = laterThan(onTheirWay.current, text);
    onTheirWay.current = later ?? [];
    if (later === null) setTyped(text);
  }, [text]);
  return [typed, setTyped, text];
}

/** What was typed after `text`; null: it was not typed here, but came with a link or by going back. */
export function laterThan(onTheirWay: string[], text: string): string[] | null {
  const at = onTheirWay.indexOf(text);
  return at < 0 ? null : onTheirWay.slice(at + 1);
}
