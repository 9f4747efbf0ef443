// The way from an empty inventory to the first switch that is read.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { credentialsQuery } from "../api/resources/inventory";
import { Heading } from "../shared/Grid";

const Step = chakra("li", {
  base: {
    padding: "8px 0 8px 4px",
    "&[data-done]": { color: "soft" },
    "& a": { color: "tarn", fontWeight: 600 },
  },
});

/** `add` opens the form; undefined for whoever may not add switches. */
export function FirstSwitch({ add }: { add: (() => void) | undefined }) {
  const credentials = useQuery(credentialsQuery);
  const hasCredential = (credentials.data?.length ?? 0) > 0;
  return (
    <>
      <Heading>Nothing is read yet</Heading>
      {add ? (
        <chakra.ol paddingLeft="22px" maxWidth="680px">
          <Step data-done={hasCredential || undefined}>
            {hasCredential ? "✓ " : ""}
            <Link to="/inventory/credentials">Add a credential</Link> that may read your switches over SNMP: a
            community, or a user of version 3. It can be tried on a switch before it is saved.
          </Step>
          <Step>
            <Flex align="center" gap="10px" wrap="wrap">
              <Button size="sm" bg="tarn" color="onTarn" onClick={add}>
                Add the first switch
              </Button>
              <span>
                or <Link to="/inventory/import">import a list of them</Link>.
              </span>
            </Flex>
          </Step>
          <Step>
            It is read at once. Its neighbours that announce themselves are then offered under{" "}
            <Link to="/inventory/discovered">Discovered</Link>.
          </Step>
        </chakra.ol>
      ) : (
        <p>An administrator adds switches here. What they have learned then shows everywhere.</p>
      )}
    </>
  );
}
