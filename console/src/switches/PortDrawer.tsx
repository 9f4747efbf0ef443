// A port at the side of the page; the page behind it stays where it is, and can be used.
import { CloseButton, Drawer, Portal } from "@chakra-ui/react";
import type { Port } from "../api/client";
import { PortPanel } from "./PortPanel";

export function PortDrawer({ port, onClose }: { port: Port | undefined; onClose: () => void }) {
  return (
    <Drawer.Root
      open={port !== undefined}
      onOpenChange={(change) => !change.open && onClose()}
      modal={false}
      closeOnInteractOutside={false}
      trapFocus={false}
      preventScroll={false}
      size="lg"
    >
      <Portal>
        <Drawer.Positioner pointerEvents="none" padding="0" top={{ base: "0", lg: "46px" }}>
          <Drawer.Content
            bg="paper"
            color="ink"
            pointerEvents="auto"
            boxShadow="-8px 0 24px rgb(0 0 0 / 0.18)"
            borderLeft="1px solid"
            borderColor="line"
            maxWidth="min(600px, 100vw)"
            aria-label={port && `port ${port.name}`}
          >
            <Drawer.Body padding="10px 18px 30px">
              {port && <PortPanel key={port.name} port={port} />}
            </Drawer.Body>
            <Drawer.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="close the port" />
            </Drawer.CloseTrigger>
          </Drawer.Content>
        </Drawer.Positioner>
      </Portal>
    </Drawer.Root>
  );
}
