// Which of some things were turned: opened where they stand closed, or closed where they stand open.
import { useState } from "react";

export function useToggled(): [ReadonlySet<string>, (name: string) => void] {
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const toggle = (name: string) =>
    setTurned((before) => {
      const after = new Set(before);
      if (!after.delete(name)) after.add(name);
      return after;
    });
  return [turned, toggle];
}
