// The buttons at the end of a row, each with a label that names the row it is of.
import { Button, chakra, Flex } from "@chakra-ui/react";
import type { ComponentProps, ReactNode } from "react";

/** One button of a row. */
export function RowAction({ label, ...more }: { label: string } & ComponentProps<typeof Button>) {
  return <Button size="xs" variant="outline" aria-label={label} {...more} />;
}

/** The cell that holds several of them. */
export function RowActions({ children }: { children: ReactNode }) {
  return (
    <chakra.td className="n">
      <Flex gap="6px" justify="flex-end">
        {children}
      </Flex>
    </chakra.td>
  );
}
