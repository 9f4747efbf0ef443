// Toasts, one above the other; each goes after some seconds, or when it is closed.
import { createToaster, Portal, Toaster as Stack, Toast } from "@chakra-ui/react";
import { useEffect } from "react";
import { onConfirmation } from "../shared/confirmations";

const SHOWN_MS = 5_000;
const toaster = createToaster({ placement: "bottom-end", pauseOnPageIdle: true, max: 4 });
const show = (title: string) => toaster.create({ title, duration: SHOWN_MS });

/** Where the stack puts each, by the variables it sets. */
const PLACED = {
  translate: "var(--x) var(--y)",
  scale: "var(--scale)",
  zIndex: "var(--z-index)",
  height: "var(--height)",
  opacity: "var(--opacity)",
  willChange: "translate, opacity, scale",
  transition: "translate 200ms, scale 200ms, opacity 200ms",
};

/** `early`: what was confirmed before this was here. */
export function Toaster({ early }: { early: string[] }) {
  // biome-ignore lint/correctness/useExhaustiveDependencies: what comes later is heard of
  useEffect(() => {
    queueMicrotask(() => early.forEach(show));
    return onConfirmation(show);
  }, []);
  return (
    <Portal>
      <Stack toaster={toaster} insetInline="16px">
        {(toast) => (
          <Toast.Root
            css={PLACED}
            display="flex"
            alignItems="center"
            gap="12px"
            width={{ base: "calc(100vw - 32px)", sm: "320px" }}
            padding="10px 14px"
            borderRadius="6px"
            boxShadow="0 4px 18px rgb(0 0 0 / 25%)"
            bg="ink"
            color="sheet"
          >
            <Toast.Title flex="1" fontWeight={600}>
              {toast.title}
            </Toast.Title>
            <Toast.CloseTrigger aria-label="close" cursor="pointer">
              ✕
            </Toast.CloseTrigger>
          </Toast.Root>
        )}
      </Stack>
    </Portal>
  );
}
