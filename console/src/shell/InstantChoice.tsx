// Chooses the instant that every page shows.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { Link } from "react-router";
import { Field } from "../shared/Grid";
import { comparePath } from "../shared/links";
import { instantOfInput, timeInput } from "../shared/time";

const BACK: [text: string, minutes: number][] = [
  ["15 min ago", 15],
  ["1 h ago", 60],
  ["8 h ago", 480],
  ["a day ago", 1440],
  ["a week ago", 10_080],
];

type Props = { at: string | undefined; choose: (instant: string) => void; done: () => void };

export function InstantChoice({ at, choose, done }: Props) {
  const pick = (instant: string) => {
    choose(instant);
    done();
  };
  return (
    <>
      <chakra.label htmlFor="as-of" fontWeight={600} display="block" marginBottom="6px">
        Show everything as it was at
      </chakra.label>
      <Field
        id="as-of"
        type="datetime-local"
        width="100%"
        value={at ? timeInput(at) : ""}
        max={timeInput(new Date().toISOString())}
        onChange={(event) => choose(instantOfInput(event.target.value))}
      />
      <Flex gap="6px" wrap="wrap" margin="10px 0">
        {BACK.map(([text, minutes]) => (
          <Button
            key={text}
            size="xs"
            variant="outline"
            onClick={() => pick(new Date(Date.now() - minutes * 60_000).toISOString())}
          >
            {text}
          </Button>
        ))}
      </Flex>
      <Flex gap="12px" align="center">
        {at && (
          <>
            <Button size="sm" variant="outline" onClick={() => pick("")}>
              Now
            </Button>
            <chakra.span color="tarn" fontWeight={600}>
              <Link to={comparePath(at)} onClick={done}>
                Compare then with now
              </Link>
            </chakra.span>
          </>
        )}
      </Flex>
    </>
  );
}
