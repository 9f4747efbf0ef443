// Who may sign in: accounts with their roles, and everybody's sessions and tokens.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { usersQuery } from "../api/resources/people";
import { useSession } from "../session/useSession";
import { Age } from "../shared/Age";
import { Choice, Field, Grid, Heading, Sheet, Title } from "../shared/Grid";
import { ErrorNotice, Notice, QueryView } from "../shared/QueryView";
import { RowAction, RowActions } from "../shared/RowActions";
import { Sessions, Tokens } from "./AccountPage";
import { drop } from "./drop";

type User = Schemas["User"];
type Role = User["role"];
const ROLES: readonly Role[] = ["viewer", "operator", "administrator"];

export function PeoplePage() {
  const session = useSession();
  return (
    <>
      <Title>People</Title>
      <p>
        Viewers see everything; operators also set rules, enrol, acknowledge and read switches; administrators
        also keep switches, credentials and people. Closing ports is a right of its own.
      </p>
      <Users />
      <Heading>Signed in</Heading>
      <Sessions />
      <Heading>Tokens</Heading>
      <Tokens rights={session?.rights ?? []} />
    </>
  );
}

function Users() {
  const client = useQueryClient();
  const users = useQuery(usersQuery);
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["people"] }) };
  const change = useMutation({
    mutationFn: ({ name, ...body }: { name: string } & Schemas["UserChange"]) =>
      need(api.PATCH("/api/v1/users/{name}", { params: { path: { name } }, body })),
    ...settled,
  });
  const reset = useMutation({
    mutationFn: (name: string) =>
      need(api.POST("/api/v1/users/{name}/initial-password", { params: { path: { name } } })),
    ...settled,
  });
  const remove = useMutation({
    mutationFn: (name: string) => drop(api.DELETE("/api/v1/users/{name}", { params: { path: { name } } })),
    ...settled,
  });
  const error = change.error ?? reset.error ?? remove.error;
  return (
    <>
      <NewUser />
      {error && <ErrorNotice error={error} />}
      {reset.data && <Initial name={reset.data.name} password={reset.data.initial_password} />}
      <Sheet tabIndex={0} aria-label="accounts">
        <QueryView query={users} rows={4}>
          {(found) => (
            <Grid>
              <thead>
                <tr>
                  <th>Name</th>
                  <th>Full name</th>
                  <th>Role</th>
                  <th>Changes switches of</th>
                  <th>May close ports</th>
                  <th>State</th>
                  <th>Last signed in</th>
                  <th>Change</th>
                </tr>
              </thead>
              <tbody>
                {found.map((one) => (
                  <tr key={one.name}>
                    <td>
                      <strong>{one.name}</strong>
                    </td>
                    <td>{one.full_name}</td>
                    <td>
                      <Choice
                        aria-label={`Role of ${one.name}`}
                        value={one.role}
                        onChange={(event) =>
                          change.mutate({ name: one.name, role: event.target.value as Role })
                        }
                      >
                        {ROLES.map((role) => (
                          <option key={role}>{role}</option>
                        ))}
                      </Choice>
                    </td>
                    <td>{one.sites?.join(", ") ?? "every site"}</td>
                    <td>
                      <input
                        type="checkbox"
                        aria-label={`${one.name} may close ports`}
                        checked={one.acts_on_ports}
                        onChange={(event) =>
                          change.mutate({ name: one.name, acts_on_ports: event.target.checked })
                        }
                      />
                    </td>
                    <td>{stateOf(one)}</td>
                    <td className="tight">
                      {one.signed_in_at ? <Age at={one.signed_in_at} ago /> : "never"}
                    </td>
                    <RowActions>
                      <RowAction
                        label={`${one.enabled ? "Disable" : "Enable"} ${one.name}`}
                        onClick={() => change.mutate({ name: one.name, enabled: !one.enabled })}
                      >
                        {one.enabled ? "Disable" : "Enable"}
                      </RowAction>
                      <RowAction
                        label={`New password for ${one.name}`}
                        onClick={() => reset.mutate(one.name)}
                      >
                        New password
                      </RowAction>
                      {!one.enabled && (
                        <RowAction label={`Remove ${one.name}`} onClick={() => remove.mutate(one.name)}>
                          Remove
                        </RowAction>
                      )}
                    </RowActions>
                  </tr>
                ))}
              </tbody>
            </Grid>
          )}
        </QueryView>
      </Sheet>
    </>
  );
}

function stateOf(one: User): string {
  if (!one.enabled) return "○ disabled";
  return one.must_change_password ? "◐ initial password" : "● enabled";
}

function Initial({ name, password }: { name: string; password: string }) {
  return (
    <Notice tone="warn">
      The initial password of {name}, shown this once: <code>{password}</code>
    </Notice>
  );
}

function NewUser() {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [fullName, setFullName] = useState("");
  const [role, setRole] = useState<Role>("viewer");
  const [sites, setSites] = useState("");
  const add = useMutation({
    mutationFn: () => {
      const named = sites
        .split(",")
        .map((one) => one.trim())
        .filter(Boolean);
      const body = {
        name: name.trim(),
        full_name: fullName,
        role,
        acts_on_ports: false,
        sites: named.length > 0 ? named : null,
      };
      return need(api.POST("/api/v1/users", { body }));
    },
    onSuccess: () => {
      setName("");
      setFullName("");
      setSites("");
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["people"] }),
  });
  return (
    <>
      <Flex gap="8px" align="center" wrap="wrap" margin="10px 0">
        <label htmlFor="user-name">New account</label>
        <Field
          id="user-name"
          value={name}
          maxLength={64}
          placeholder="name"
          width="130px"
          onChange={(event) => setName(event.target.value)}
        />
        <Field
          aria-label="Full name"
          value={fullName}
          maxLength={255}
          placeholder="full name"
          onChange={(event) => setFullName(event.target.value)}
        />
        <label htmlFor="user-role">role</label>
        <Choice id="user-role" value={role} onChange={(event) => setRole(event.target.value as Role)}>
          {ROLES.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </Choice>
        <label htmlFor="user-sites">changes switches of</label>
        <Field
          id="user-sites"
          value={sites}
          placeholder="every site"
          onChange={(event) => setSites(event.target.value)}
        />
        <Button size="sm" variant="outline" disabled={name.trim() === ""} onClick={() => add.mutate()}>
          Add it
        </Button>
      </Flex>
      {add.error && <ErrorNotice error={add.error} />}
      {add.data?.initial_password && (
        <Initial name={add.data.user.name} password={add.data.initial_password} />
      )}
    </>
  );
}
