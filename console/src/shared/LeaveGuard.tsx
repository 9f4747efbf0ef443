// Asks before a page with something unsaved is left for another.
import { Button, Flex } from "@chakra-ui/react";
import { useBlocker } from "react-router";
import { useUnsavedWarning } from "./FormDialog";

export function LeaveGuard({ changed, what, within }: { changed: boolean; what: string; within?: string }) {
  useUnsavedWarning(changed);
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) =>
      changed &&
      currentLocation.pathname !== nextLocation.pathname &&
      !(within && nextLocation.pathname.startsWith(within)),
  );
  if (blocker.state !== "blocked") return null;
  return (
    <Flex role="alert" align="center" gap="10px" wrap="wrap" bg="mark" padding="8px 12px" marginBottom="10px">
      <strong>{what}</strong>
      <Button size="sm" variant="outline" bg="sheet" autoFocus onClick={() => blocker.reset()}>
        Stay
      </Button>
      <Button size="sm" variant="outline" bg="sheet" onClick={() => blocker.proceed()}>
        Leave
      </Button>
    </Flex>
  );
}
