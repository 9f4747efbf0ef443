// Fields of forms with their labels above, and what is wrong with each below it.
import { Box, chakra } from "@chakra-ui/react";
import { type ComponentProps, type ReactNode, useId } from "react";
import { Choice, Field } from "./Grid";

type Message = {
  /** What is wrong with it. */
  error?: string;
  /** What it is for, where the label does not say it all. */
  hint?: string;
};

export function Labelled({
  label,
  onChange,
  error = "",
  hint = "",
  ...more
}: { label: string; onChange: (text: string) => void } & Message &
  Omit<ComponentProps<typeof Field>, "onChange">) {
  const id = useId();
  return (
    <Box maxWidth="100%">
      <label htmlFor={id}>{label}</label>
      <br />
      <Field
        id={id}
        {...more}
        aria-invalid={error !== "" || undefined}
        aria-describedby={error || hint ? `${id}-message` : undefined}
        borderColor={error ? "bad" : "line"}
        maxWidth="100%"
        onChange={(event) => onChange(event.target.value)}
      />
      {(error || hint) && (
        <chakra.div id={`${id}-message`} color={error ? "bad" : "soft"} fontSize="13px" maxWidth="340px">
          {error ? `✕ ${error}` : hint}
        </chakra.div>
      )}
    </Box>
  );
}

/** One of some; `more` are options that stand before them. */
export function OneOf<T extends string>(props: {
  label: string;
  of: readonly T[];
  value: T;
  onChange: (next: T) => void;
  more?: ReactNode;
  texts?: Partial<Record<T, string>>;
}) {
  const id = useId();
  return (
    <Box>
      <label htmlFor={id}>{props.label}</label>
      <br />
      <Choice id={id} value={props.value} onChange={(event) => props.onChange(event.target.value as T)}>
        {props.more}
        {props.of.map((one) => (
          <option key={one} value={one}>
            {props.texts?.[one] ?? one}
          </option>
        ))}
      </Choice>
    </Box>
  );
}

export function Tick(props: { label: string; checked: boolean; onChange: (next: boolean) => void }) {
  const id = useId();
  return (
    <span>
      <input
        id={id}
        type="checkbox"
        checked={props.checked}
        onChange={(event) => props.onChange(event.target.checked)}
      />{" "}
      <label htmlFor={id}>{props.label}</label>
    </span>
  );
}
