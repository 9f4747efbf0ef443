// "/" goes to the search box of the page, or opens the quick search; Ctrl-K always opens it.
import { useEffect, useRef } from "react";

export function useSearchKey(open: () => void): void {
  const latest = useRef(open);
  latest.current = open;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const field =
        event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (event.key.toLowerCase() === "k" && (event.ctrlKey || event.metaKey) && !event.altKey) {
        event.preventDefault();
        latest.current();
        return;
      }
      if (event.key !== "/" || field || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      const box = document.querySelector<HTMLInputElement>("[data-search]");
      if (box) {
        box.focus();
        box.select();
      } else {
        latest.current();
      }
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, []);
}
