// A set of ids that were toggled away from their default: opened or closed.
import { useCallback, useState } from "react";

export function useDisclosureSet(): [ReadonlySet<string>, (name: string) => void] {
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const toggle = useCallback(
    (name: string) =>
      setTurned((before) => {
        const after = new Set(before);
        if (!after.delete(name)) after.add(name);
        return after;
      }),
    [],
  );
  return [turned, toggle];
}
