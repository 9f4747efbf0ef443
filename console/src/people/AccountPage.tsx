// What is one's own: the password, tokens for programs, and where one is signed in.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { sessionsQuery, tokensQuery } from "../api/resources/people";
import { usePasswordChange } from "../session/SignIn";
import { type Right, useSession } from "../session/useSession";
import { Age } from "../shared/Age";
import { Fact } from "../shared/Fact";
import { Choice, Facts, Field, Grid, Heading, Sheet, Title } from "../shared/Grid";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { RowAction } from "../shared/RowActions";
import { fullTime } from "../shared/time";
import { drop } from "./drop";

export function AccountPage() {
  const session = useSession();
  if (!session) return null;
  return (
    <>
      <Title>{session.name}</Title>
      <Facts>
        <Fact label="role">{session.role ?? ""}</Fact>
        <Fact label="may">{session.rights?.join(", ")}</Fact>
        <Fact label="changes switches of">{session.sites?.join(", ") ?? "every site"}</Fact>
      </Facts>
      <Heading>Where you are signed in</Heading>
      <Sessions of={session.name ?? ""} />
      <Heading>Tokens for programs</Heading>
      <Tokens of={session.name ?? ""} rights={session.rights ?? []} />
      <Heading>Password</Heading>
      <Password />
    </>
  );
}

function Password() {
  const [done, setDone] = useState(false);
  const { fields, change } = usePasswordChange(() => setDone(true));
  return (
    <chakra.form
      maxWidth="440px"
      onSubmit={(event) => {
        event.preventDefault();
        setDone(false);
        change.mutate();
      }}
    >
      {fields}
      {done && <Notice tone="warn">The password is changed; your other sessions are over.</Notice>}
      <Button type="submit" size="sm" variant="outline" loading={change.isPending}>
        Change the password
      </Button>
    </chakra.form>
  );
}

/** `of`: of one account; of everybody that may be seen without. */
export function Sessions({ of: owner }: { of?: string }) {
  const client = useQueryClient();
  const sessions = useQuery({ ...sessionsQuery, select: ofOwner<Schemas["OpenSession"]>(owner) });
  const end = useMutation({
    mutationFn: (number: number) =>
      drop(api.DELETE("/api/v1/sessions/{number}", { params: { path: { number } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["people"] }),
  });
  return (
    <>
      {end.error && <ErrorNotice error={end.error} />}
      <Sheet tabIndex={0} aria-label="open sessions">
        <QueryView query={sessions} rows={2}>
          {(found) =>
            found.length === 0 ? (
              <Nothing>Nobody is signed in here.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Who</th>
                    <th>Signed in</th>
                    <th>From</th>
                    <th>Last used</th>
                    <th>Ends</th>
                    <th>Browser</th>
                    <th>Change</th>
                  </tr>
                </thead>
                <tbody>
                  {found.map((one) => (
                    <tr key={one.id}>
                      <td>
                        <strong>{one.owner}</strong>
                        {one.with_token && ", with a token"}
                      </td>
                      <td className="tight">
                        <Age at={one.opened_at} ago />
                      </td>
                      <td className="mono">{one.opened_from}</td>
                      <td className="tight">
                        <Age at={one.last_used_at} ago />
                      </td>
                      <td className="tight">{fullTime(one.expires_at)}</td>
                      <td>{one.agent.slice(0, 60)}</td>
                      <td className="n">
                        {one.own ? (
                          "this one"
                        ) : (
                          <RowAction
                            label={`End session ${one.id} of ${one.owner}`}
                            onClick={() => end.mutate(one.id)}
                          >
                            End
                          </RowAction>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

export function Tokens({ of: owner, rights }: { of?: string; rights: readonly Right[] }) {
  const client = useQueryClient();
  const tokens = useQuery({ ...tokensQuery, select: ofOwner<Schemas["Token"]>(owner) });
  const revoke = useMutation({
    mutationFn: (number: number) =>
      drop(api.DELETE("/api/v1/tokens/{number}", { params: { path: { number } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["people"] }),
  });
  return (
    <>
      <NewToken rights={rights} />
      {revoke.error && <ErrorNotice error={revoke.error} />}
      <Sheet tabIndex={0} aria-label="tokens">
        <QueryView query={tokens} rows={2}>
          {(found) =>
            found.length === 0 ? (
              <Nothing>No token yet.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Owner</th>
                    <th>Name</th>
                    <th>May</th>
                    <th>State</th>
                    <th>Ends</th>
                    <th>Last used</th>
                    <th>From</th>
                    <th>Change</th>
                  </tr>
                </thead>
                <tbody>
                  {found.map((one) => (
                    <tr key={one.id}>
                      <td>{one.owner}</td>
                      <td>
                        <strong>{one.name}</strong>
                      </td>
                      <td>{one.scopes.join(", ")}</td>
                      <td>{one.state}</td>
                      <td className="tight">{one.expires_at ? fullTime(one.expires_at) : "never"}</td>
                      <td className="tight">
                        {one.last_used_at ? <Age at={one.last_used_at} ago /> : "never"}
                      </td>
                      <td className="mono">{one.last_used_from}</td>
                      <td className="n">
                        {one.state === "valid" && (
                          <RowAction
                            label={`Revoke ${one.name} of ${one.owner}`}
                            onClick={() => revoke.mutate(one.id)}
                          >
                            Revoke
                          </RowAction>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

function ofOwner<T extends { owner: string }>(owner: string | undefined) {
  return (all: T[]) => all.filter((one) => owner === undefined || one.owner === owner);
}

const SCOPES: readonly Right[] = ["view", "operate", "administer", "act-on-ports"];

function NewToken({ rights }: { rights: readonly Right[] }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [scope, setScope] = useState<Right>("view");
  const [days, setDays] = useState("90");
  const add = useMutation({
    mutationFn: (): Promise<Schemas["TokenAdded"]> => {
      const expires_at = days ? new Date(Date.now() + Number(days) * 86_400_000).toISOString() : null;
      return need(api.POST("/api/v1/tokens", { body: { name, scopes: [scope], expires_at } }));
    },
    onSuccess: () => setName(""),
    onSettled: () => client.invalidateQueries({ queryKey: ["people"] }),
  });
  return (
    <Box margin="0 0 8px">
      <Flex gap="8px" align="center" wrap="wrap">
        <label htmlFor="token-name">New token</label>
        <Field
          id="token-name"
          value={name}
          maxLength={64}
          placeholder="what it is for"
          onChange={(event) => setName(event.target.value)}
        />
        <label htmlFor="token-scope">that may</label>
        <Choice id="token-scope" value={scope} onChange={(event) => setScope(event.target.value as Right)}>
          {SCOPES.filter((one) => rights.includes(one)).map((one) => (
            <option key={one}>{one}</option>
          ))}
        </Choice>
        <label htmlFor="token-days">for days</label>
        <Field
          id="token-days"
          type="number"
          min={1}
          width="80px"
          value={days}
          onChange={(event) => setDays(event.target.value)}
        />
        <Button size="sm" variant="outline" disabled={name.trim() === ""} onClick={() => add.mutate()}>
          Make it
        </Button>
      </Flex>
      {add.error && <ErrorNotice error={add.error} />}
      {add.data && (
        <Notice tone="warn">
          {add.data.token.name}, shown this once: <code>{add.data.secret}</code>
        </Notice>
      )}
    </Box>
  );
}
