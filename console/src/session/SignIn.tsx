// Signing in: the token is exchanged for a session cookie that no script can read, this one included.
import { Box, Button, chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../api/client";
import { sessionQuery } from "../api/resources/session";
import { Kite } from "../shared/Kite";

export function SignIn() {
  const client = useQueryClient();
  const [token, setToken] = useState("");
  const signIn = useMutation({
    mutationFn: () => need(api.POST("/api/v1/session", { body: { token } })),
    onSuccess: (session) => client.setQueryData(sessionQuery.queryKey, session),
  });
  return (
    <Box as="main" minHeight="100vh" display="grid" placeItems="center" padding="20px">
      <chakra.form
        width="100%"
        maxWidth="440px"
        bg="sheet"
        border="1px solid"
        borderColor="line"
        borderRadius="8px"
        padding="30px"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <Box display="flex" alignItems="center" gap="10px" marginBottom="18px">
          <Kite size={34} />
          <chakra.h1 fontSize="24px" fontWeight={700}>
            Kite Roll
          </chakra.h1>
        </Box>
        <chakra.label htmlFor="token" display="block" fontWeight={600} marginBottom="6px">
          Token
        </chakra.label>
        <chakra.input
          id="token"
          type="password"
          autoComplete="current-password"
          autoFocus
          value={token}
          onChange={(event) => setToken(event.target.value)}
          aria-describedby="token-help"
          aria-invalid={signIn.isError}
          width="100%"
          padding="8px 10px"
          fontFamily="mono"
          bg="paper"
          border="1px solid"
          borderColor="soft"
          borderRadius="5px"
        />
        <chakra.p id="token-help" color="soft" margin="8px 0 16px">
          It stands in the file <chakra.code fontFamily="mono">token</chakra.code> of the service’s data
          directory; the service prints it when it starts.
        </chakra.p>
        {signIn.error && (
          <chakra.p role="alert" color="bad" marginBottom="12px">
            ✕ {signIn.error.message}
          </chakra.p>
        )}
        <Button
          type="submit"
          width="100%"
          bg="tarn"
          color="onTarn"
          loading={signIn.isPending}
          disabled={!token.trim()}
        >
          Sign in
        </Button>
      </chakra.form>
    </Box>
  );
}
