// What is shown in place of a page that failed: the rest of the console goes on.
import { Button, chakra } from "@chakra-ui/react";
import { useRouteError } from "react-router";

export function Broken() {
  const error = useRouteError();
  return (
    <chakra.div padding="24px 0" maxWidth="720px" role="alert">
      <chakra.h1 fontSize="24px" fontWeight={700} marginBottom="10px">
        This page failed
      </chakra.h1>
      <p>That is a fault of the console, not of your network. Load it again, or go on elsewhere.</p>
      <chakra.pre color="soft" whiteSpace="pre-wrap" margin="10px 0">
        {error instanceof Error ? error.message : String(error)}
      </chakra.pre>
      <Button bg="tarn" color="onTarn" size="sm" onClick={() => location.reload()}>
        Load again
      </Button>{" "}
      <a href="/">Today</a>
    </chakra.div>
  );
}
