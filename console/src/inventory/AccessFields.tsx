// The fields of a credential: a community, or a user with passwords. Secrets are never sent back.
import { Flex } from "@chakra-ui/react";
import { fieldError } from "../api/client";
import { Labelled, OneOf } from "../shared/Labelled";
import type { AccessDraft } from "./model";

const VERSIONS = ["2c", "3", "1"] as const;
const VERSION_TEXTS = { "1": "SNMPv1", "2c": "SNMPv2c", "3": "SNMPv3" };
const AUTH = ["sha1", "sha224", "sha256", "sha384", "sha512"] as const;

export function AccessFields({
  of,
  onChange,
  error = null,
}: {
  of: AccessDraft;
  onChange: (next: AccessDraft) => void;
  error?: Error | null;
}) {
  const put = (part: Partial<AccessDraft>) => onChange({ ...of, ...part });
  const secret = { type: "password", autoComplete: "new-password" } as const;
  return (
    <Flex gap="12px" wrap="wrap" align="flex-start">
      <OneOf
        label="Version"
        of={VERSIONS}
        texts={VERSION_TEXTS}
        value={of.version}
        onChange={(version) => put({ version })}
      />
      {of.version === "3" ? (
        <>
          <Labelled
            label="User"
            value={of.user}
            error={fieldError(error, "user")}
            onChange={(user) => put({ user })}
          />
          <OneOf label="Authentication" of={AUTH} value={of.auth} onChange={(auth) => put({ auth })} />
          <Labelled
            label="Authentication password"
            {...secret}
            value={of.auth_password}
            error={fieldError(error, "auth_password")}
            onChange={(auth_password) => put({ auth_password })}
          />
          <Labelled
            label="Privacy password (AES-128)"
            {...secret}
            value={of.privacy_password}
            error={fieldError(error, "privacy_password")}
            onChange={(privacy_password) => put({ privacy_password })}
          />
        </>
      ) : (
        <Labelled
          label="Community"
          {...secret}
          value={of.community}
          error={fieldError(error, "community")}
          onChange={(community) => put({ community })}
        />
      )}
    </Flex>
  );
}
