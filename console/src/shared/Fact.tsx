// One name and its value, inside Facts.
import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

export function Fact({ label, children }: { label: string; children: ReactNode }) {
  if (children === "" || children === null || children === undefined) return null;
  return (
    <Box>
      <dt>{label}</dt>
      <dd>{children}</dd>
    </Box>
  );
}
