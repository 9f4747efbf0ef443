// A view as of an instant: chosen here, kept in the URL, and what ages and links below it go by.
import { Button, chakra, Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { useSearchParams } from "react-router";
import { Field } from "./Grid";
import { Instant, instantOf } from "./instant";
import { Notice } from "./QueryView";
import { fullTime, localInput } from "./time";

export function AsOfPicker({ kept, children }: { kept: string; children: (at?: string) => ReactNode }) {
  const [params, setParams] = useSearchParams();
  const at = instantOf(params);
  const choose = (instant: string) => {
    const next = new URLSearchParams(params);
    if (instant) next.set("at", instant);
    else next.delete("at");
    setParams(next);
  };
  return (
    <Instant.Provider value={at}>
      <Flex align="center" justify="flex-end" gap="8px" fontSize="14px" marginBottom="6px">
        <chakra.label htmlFor="as-of" color="soft">
          as it was at
        </chakra.label>
        <Field
          id="as-of"
          type="datetime-local"
          value={at ? localInput(at) : ""}
          max={localInput(new Date().toISOString())}
          onChange={(event) => choose(event.target.value && new Date(event.target.value).toISOString())}
        />
        {at && (
          <Button size="xs" variant="outline" onClick={() => choose("")}>
            Back to now
          </Button>
        )}
      </Flex>
      {at && (
        <Notice tone="warn">
          This is <strong>as of {fullTime(at)}</strong>, not now. Ages count back from then. {kept}
        </Notice>
      )}
      {children(at)}
    </Instant.Provider>
  );
}
