// A button for what cannot be taken back: it says what will happen, and asks once.
import { Button, Dialog, Portal } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";

export function Confirm({
  label,
  title,
  children,
  act,
  busy = false,
}: {
  /** Names what it is about, for people who hear it: "Remove quay-1". */
  label: string;
  title: string;
  children: ReactNode;
  act: () => void;
  busy?: boolean;
}) {
  const [open, setOpen] = useState(false);
  const [verb = label] = label.split(" ");
  return (
    <Dialog.Root
      role="alertdialog"
      open={open}
      onOpenChange={(change) => setOpen(change.open)}
      placement="center"
    >
      <Dialog.Trigger asChild>
        <Button size="xs" variant="outline" aria-label={label} loading={busy}>
          {verb}
        </Button>
      </Dialog.Trigger>
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="sheet" color="ink">
            <Dialog.Header>
              <Dialog.Title>{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>{children}</Dialog.Body>
            <Dialog.Footer justifyContent="flex-start">
              <Button
                size="sm"
                bg="bad"
                color="sheet"
                onClick={() => {
                  setOpen(false);
                  act();
                }}
              >
                {label}
              </Button>
              <Dialog.CloseTrigger asChild position="static">
                <Button size="sm" variant="outline">
                  Cancel
                </Button>
              </Dialog.CloseTrigger>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
