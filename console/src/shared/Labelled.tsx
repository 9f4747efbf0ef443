// Fields of forms with their labels above.
import { Box } from "@chakra-ui/react";
import { type ComponentProps, type ReactNode, useId } from "react";
import { Choice, Field } from "../shared/Grid";

export function Labelled({
  label,
  onChange,
  ...more
}: { label: string; onChange: (text: string) => void } & Omit<ComponentProps<typeof Field>, "onChange">) {
  const id = useId();
  return (
    <Box>
      <label htmlFor={id}>{label}</label>
      <br />
      <Field id={id} {...more} onChange={(event) => onChange(event.target.value)} />
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
}) {
  const id = useId();
  return (
    <Box>
      <label htmlFor={id}>{props.label}</label>
      <br />
      <Choice id={id} value={props.value} onChange={(event) => props.onChange(event.target.value as T)}>
        {props.more}
        {props.of.map((one) => (
          <option key={one}>{one}</option>
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
