// What a trial of a credential came to.
import { Box } from "@chakra-ui/react";
import type { Schemas } from "../api/client";
import { Fact } from "../shared/Fact";
import { Facts } from "../shared/Grid";
import { span } from "../shared/time";

export function Verdict({ of }: { of: Schemas["CredentialVerdict"] }) {
  return (
    <Box role="status" marginTop="10px" padding="8px 12px" bg="tint" borderRadius="6px">
      <strong>{of.works ? "✓ It answers." : "✕ It does not work."}</strong> {of.why}
      {of.works && (
        <Facts>
          <Fact label="calls itself">{of.sys_name}</Fact>
          <Fact label="is">{of.description}</Fact>
          <Fact label="stands at">{of.location}</Fact>
          <Fact label="up for">{of.up_s === null || of.up_s === undefined ? "" : span(of.up_s * 1000)}</Fact>
          <Fact label="answered within">{of.took_ms} ms</Fact>
        </Facts>
      )}
    </Box>
  );
}
