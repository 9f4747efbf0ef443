// A form over the page. What was typed is not lost by a slip: leaving it unsaved asks first.
import { Button, CloseButton, chakra, Dialog, Flex, Portal } from "@chakra-ui/react";
import { type ReactNode, useEffect, useState } from "react";

type Props = {
  title: string;
  /** Something was typed that is not saved. */
  changed: boolean;
  onClose: () => void;
  onSave: () => void;
  save: string;
  saving: boolean;
  ready?: boolean;
  /** Buttons beside the one that saves. */
  more?: ReactNode;
  children: ReactNode;
};

export function FormDialog({
  title,
  changed,
  onClose,
  onSave,
  save,
  saving,
  ready = true,
  more,
  children,
}: Props) {
  const [asking, setAsking] = useState(false);
  const leave = () => (changed && !asking ? setAsking(true) : onClose());
  useUnsavedWarning(changed);
  return (
    <Dialog.Root
      open
      onOpenChange={(change) => !change.open && leave()}
      size="xl"
      placement="center"
      scrollBehavior="inside"
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="sheet" color="ink">
            <chakra.form
              display="contents"
              onSubmit={(event) => {
                event.preventDefault();
                if (ready) onSave();
              }}
            >
              <Dialog.Header paddingBottom="6px">
                <Dialog.Title fontSize="19px">{title}</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body>{children}</Dialog.Body>
              <Dialog.Footer justifyContent="flex-start" flexWrap="wrap">
                {asking ? (
                  <Flex role="alert" align="center" gap="10px" wrap="wrap">
                    <strong>What you typed is not saved.</strong>
                    <Button size="sm" variant="outline" onClick={() => setAsking(false)}>
                      Stay
                    </Button>
                    <Button size="sm" variant="outline" borderColor="bad" onClick={onClose}>
                      Leave without saving
                    </Button>
                  </Flex>
                ) : (
                  <>
                    <Button
                      type="submit"
                      size="sm"
                      bg="tarn"
                      color="onTarn"
                      loading={saving}
                      disabled={!ready}
                    >
                      {save}
                    </Button>
                    {more}
                    <Button size="sm" variant="plain" onClick={leave}>
                      Cancel
                    </Button>
                  </>
                )}
              </Dialog.Footer>
            </chakra.form>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

/** The browser asks before a tab with unsaved input is closed or reloaded. */
export function useUnsavedWarning(changed: boolean): void {
  useEffect(() => {
    if (!changed) return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    addEventListener("beforeunload", warn);
    return () => removeEventListener("beforeunload", warn);
  }, [changed]);
}
