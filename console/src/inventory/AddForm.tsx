// A line of fields above a list that adds one to it.
import { Button, Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";

export function AddForm({
  busy,
  ready,
  onAdd,
  children,
}: {
  busy: boolean;
  ready: boolean;
  onAdd: () => void;
  children: ReactNode;
}) {
  return (
    <Flex
      as="form"
      gap="12px"
      align="flex-end"
      wrap="wrap"
      margin="8px 0 12px"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd();
      }}
    >
      {children}
      <Button type="submit" size="sm" variant="outline" disabled={!ready} loading={busy}>
        Add it
      </Button>
    </Flex>
  );
}
