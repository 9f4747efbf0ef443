// Signing in: name and password, or a token, become a session cookie that no script can read, this one included.
import { Box, Button, chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { sessionQuery } from "../api/resources/session";
import { Kite } from "../shared/Kite";

export function SignIn({ openid }: { openid: string }) {
  const client = useQueryClient();
  const [withToken, setWithToken] = useState(false);
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [token, setToken] = useState("");
  const signIn = useMutation({
    mutationFn: () =>
      need(api.POST("/api/v1/session", { body: withToken ? { token } : { name: name.trim(), password } })),
    onSuccess: (session) => client.setQueryData(sessionQuery.queryKey, session),
  });
  const refused = new URLSearchParams(location.search).get("refused");
  const ready = withToken ? token.trim() !== "" : name.trim() !== "" && password !== "";
  return (
    <FrontPage onSubmit={() => signIn.mutate()}>
      {withToken ? (
        <Labelled
          id="token"
          label="Token"
          type="password"
          value={token}
          onValue={setToken}
          invalid={signIn.isError}
          help="One that `kiteroll token add` printed, or that of the file `token` in the service’s data directory."
        />
      ) : (
        <>
          <Labelled id="name" label="Name" autoComplete="username" value={name} onValue={setName} />
          <Labelled
            id="password"
            label="Password"
            type="password"
            autoComplete="current-password"
            value={password}
            onValue={setPassword}
            invalid={signIn.isError}
          />
        </>
      )}
      <Refusal text={signIn.error?.message ?? refused ?? undefined} />
      <Button
        type="submit"
        width="100%"
        bg="tarn"
        color="onTarn"
        loading={signIn.isPending}
        disabled={!ready}
      >
        Sign in
      </Button>
      {openid && (
        <Button asChild variant="outline" width="100%" marginTop="10px">
          <a href="/api/v1/session/openid">Sign in with {openid}</a>
        </Button>
      )}
      <Button
        type="button"
        variant="plain"
        size="sm"
        width="100%"
        marginTop="10px"
        color="soft"
        onClick={() => {
          signIn.reset();
          setWithToken(!withToken);
        }}
      >
        {withToken ? "With name and password instead" : "With a token instead"}
      </Button>
    </FrontPage>
  );
}

/** The initial password is good for one thing: to be changed. */
export function FirstPassword({ session }: { session: Schemas["Session"] }) {
  const client = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => need(api.DELETE("/api/v1/session")),
    onSuccess: () => client.resetQueries(),
  });
  const { fields, change } = usePasswordChange(() => client.resetQueries());
  return (
    <FrontPage onSubmit={() => change.mutate()}>
      <chakra.p margin="0 0 14px">
        {session.name}, your password is an initial one. Choose your own: 12 characters or more, such as a few
        words.
      </chakra.p>
      {fields}
      <Button type="submit" width="100%" bg="tarn" color="onTarn" loading={change.isPending}>
        Change the password
      </Button>
      <Button
        type="button"
        variant="plain"
        size="sm"
        width="100%"
        marginTop="10px"
        color="soft"
        onClick={() => signOut.mutate()}
      >
        Sign out
      </Button>
    </FrontPage>
  );
}

/** The fields to change one's own password, and the call that does. */
export function usePasswordChange(onDone: () => void) {
  const [present, setPresent] = useState("");
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const change = useMutation({
    mutationFn: async () => {
      if (password !== again) throw new Error("The two new passwords differ.");
      const { error, response } = await api.PUT("/api/v1/password", { body: { present, password } });
      if (!response.ok) throw new Error((error as { detail?: string })?.detail ?? "It was not changed.");
    },
    onSuccess: () => {
      setPresent("");
      setPassword("");
      setAgain("");
      onDone();
    },
  });
  const fields = (
    <>
      <Labelled
        id="present"
        label="Present password"
        type="password"
        autoComplete="current-password"
        value={present}
        onValue={setPresent}
        invalid={change.isError}
      />
      <Labelled
        id="new-password"
        label="New password"
        type="password"
        autoComplete="new-password"
        value={password}
        onValue={setPassword}
      />
      <Labelled
        id="again"
        label="New password, again"
        type="password"
        autoComplete="new-password"
        value={again}
        onValue={setAgain}
      />
      <Refusal text={change.error?.message} />
    </>
  );
  return { fields, change };
}

function FrontPage({ onSubmit, children }: { onSubmit: () => void; children: ReactNode }) {
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
          onSubmit();
        }}
      >
        <Box display="flex" alignItems="center" gap="10px" marginBottom="18px">
          <Kite size={34} />
          <chakra.h1 fontSize="24px" fontWeight={700}>
            Kite Roll
          </chakra.h1>
        </Box>
        {children}
      </chakra.form>
    </Box>
  );
}

function Refusal({ text }: { text: string | undefined }) {
  return text ? (
    <chakra.p role="alert" color="bad" marginBottom="12px">
      ✕ {text}
    </chakra.p>
  ) : null;
}

interface LabelledProps {
  id: string;
  label: string;
  value: string;
  onValue: (value: string) => void;
  type?: string;
  autoComplete?: string;
  invalid?: boolean;
  help?: string;
}

function Labelled({ id, label, value, onValue, type, autoComplete, invalid, help }: LabelledProps) {
  return (
    <>
      <chakra.label htmlFor={id} display="block" fontWeight={600} marginBottom="6px">
        {label}
      </chakra.label>
      <chakra.input
        id={id}
        type={type ?? "text"}
        autoComplete={autoComplete}
        value={value}
        onChange={(event) => onValue(event.target.value)}
        aria-describedby={help ? `${id}-help` : undefined}
        aria-invalid={invalid}
        width="100%"
        padding="8px 10px"
        marginBottom="14px"
        bg="paper"
        border="1px solid"
        borderColor="soft"
        borderRadius="5px"
      />
      {help && (
        <chakra.p id={`${id}-help`} color="soft" margin="-6px 0 14px">
          {help}
        </chakra.p>
      )}
    </>
  );
}
