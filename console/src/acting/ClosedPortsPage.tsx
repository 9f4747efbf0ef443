// Ports that are closed, those that rules propose to close, and what was done.
import { Button } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { actionsQuery, closedPortsQuery, proposalsQuery } from "../api/resources/acting";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Age, useNow } from "../shared/Age";
import { Grid, Heading, Sheet } from "../shared/Grid";
import { findingPath, portPath } from "../shared/links";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { RowAction, RowActions } from "../shared/RowActions";
import { span } from "../shared/time";
import { reopensText, stateText } from "./model";

export function ClosedPortsPage() {
  const closed = useQuery(closedPortsQuery);
  return (
    <>
      <Heading>Proposed to be closed</Heading>
      <Proposals />
      <Heading>Closed by Kite Roll</Heading>
      <QueryView query={closed} rows={3}>
        {(found) => (
          <>
            {found.can_write === 0 && (
              <Notice tone="soft">
                No switch has a credential to write with: Kite Roll only reads, and changes nothing on any
                switch.
              </Notice>
            )}
            {found.stopped && <Stopped stopped={found.stopped} />}
            <Closed ports={found.closed} />
            <Heading>Shut on their switches by others</Heading>
            <Elsewhere ports={found.elsewhere} />
          </>
        )}
      </QueryView>
      <Heading>What was done</Heading>
      <Actions />
    </>
  );
}

function useSettled() {
  const client = useQueryClient();
  return { onSettled: () => client.invalidateQueries() };
}

function Stopped({ stopped }: { stopped: Schemas["ClosingStopped"] }) {
  const acts = useMay("act-on-ports");
  const goOn = useMutation({
    mutationFn: () => drop(api.POST("/api/v1/closed-ports/go-on")),
    ...useSettled(),
  });
  return (
    <Notice tone="bad">
      Rules close no more ports by themselves since <Age at={stopped.since} ago />: {stopped.why}.{" "}
      {acts && (
        <Button size="xs" variant="outline" onClick={() => goOn.mutate()}>
          Let them go on
        </Button>
      )}
    </Notice>
  );
}

function Proposals() {
  const proposals = useQuery(proposalsQuery);
  const acts = useMay("act-on-ports");
  const settled = useSettled();
  const approve = useMutation({
    mutationFn: (number: number) =>
      need(api.POST("/api/v1/proposals/{number}/approve", { params: { path: { number } } })),
    ...settled,
  });
  const refuse = useMutation({
    mutationFn: (number: number) =>
      need(api.POST("/api/v1/proposals/{number}/refuse", { params: { path: { number } } })),
    ...settled,
  });
  const error = approve.error ?? refuse.error;
  return (
    <>
      {error && <ErrorNotice error={error} />}
      <Sheet tabIndex={0} aria-label="proposals">
        <QueryView query={proposals} rows={2}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>Nothing is proposed.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Port</th>
                    <th>Why</th>
                    <th>Note</th>
                    <th>Proposed</th>
                    <th>Expires in</th>
                    <th>Then reopens</th>
                    {acts && <th>Decide</th>}
                  </tr>
                </thead>
                <tbody>
                  {page.items.map((one) => (
                    <tr key={one.id}>
                      <td className="tight">
                        <Link to={portPath(one.switch, one.port)}>
                          {one.switch} {one.port}
                        </Link>
                      </td>
                      <td>{one.finding ? <Link to={findingPath(one.finding)}>{one.why}</Link> : one.why}</td>
                      <td>{one.note}</td>
                      <td className="tight">
                        <Age at={one.proposed_at} ago />
                      </td>
                      <td className="tight">
                        <Left until={one.expires_at} />
                      </td>
                      <td className="tight">
                        {one.reopen_after_s ? `after ${span(one.reopen_after_s * 1000)}` : "by a person"}
                      </td>
                      {acts && (
                        <RowActions>
                          <RowAction
                            variant="solid"
                            label={`Close ${one.switch} ${one.port}`}
                            loading={approve.isPending && approve.variables === one.id}
                            onClick={() => approve.mutate(one.id)}
                          >
                            Close it
                          </RowAction>
                          <RowAction
                            label={`Leave ${one.switch} ${one.port} open`}
                            onClick={() => refuse.mutate(one.id)}
                          >
                            Leave it open
                          </RowAction>
                        </RowActions>
                      )}
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

function Left({ until }: { until: string }) {
  return <>{span(Date.parse(until) - useNow())}</>;
}

function Closed({ ports }: { ports: Schemas["ClosedPort"][] }) {
  const now = useNow();
  const acts = useMay("act-on-ports");
  const reopen = useMutation({
    mutationFn: (one: Schemas["ClosedPort"]) =>
      need(
        api.POST("/api/v1/actions", {
          body: {
            kind: "reopen-port",
            switch: one.switch,
            port: one.port,
            reason: "reopened by hand",
            reopen_after_s: 0,
            dry_run: false,
          },
        }),
      ),
    ...useSettled(),
  });
  return (
    <>
      {reopen.error && <ErrorNotice error={reopen.error} />}
      <Sheet tabIndex={0} aria-label="closed ports">
        {ports.length === 0 ? (
          <Nothing>No port is closed by Kite Roll.</Nothing>
        ) : (
          <Grid>
            <thead>
              <tr>
                <th>Port</th>
                <th>Why</th>
                <th>Closed</th>
                <th>By</th>
                <th>Reopens</th>
                {acts && <th>Change</th>}
              </tr>
            </thead>
            <tbody>
              {ports.map((one) => (
                <tr key={`${one.switch} ${one.port}`}>
                  <td className="tight">
                    <Link to={portPath(one.switch, one.port)}>
                      {one.switch} {one.port}
                    </Link>
                  </td>
                  <td>{one.why}</td>
                  <td className="tight">
                    <Age at={one.closed_at} ago />
                  </td>
                  <td className="tight">{one.closed_by || "a rule"}</td>
                  <td>{one.held ? <strong>▲ {reopensText(one, now)}</strong> : reopensText(one, now)}</td>
                  {acts && (
                    <td className="n">
                      <RowAction
                        label={`Reopen ${one.switch} ${one.port}`}
                        loading={reopen.isPending && reopen.variables === one}
                        onClick={() => reopen.mutate(one)}
                      >
                        Reopen
                      </RowAction>
                    </td>
                  )}
                </tr>
              ))}
            </tbody>
          </Grid>
        )}
      </Sheet>
    </>
  );
}

const SHOWN = 50;

function Elsewhere({ ports }: { ports: Schemas["PortClosedElsewhere"][] }) {
  return (
    <Sheet tabIndex={0} aria-label="ports shut by others">
      {ports.length === 0 ? (
        <Nothing>Nobody shut a port on a switch.</Nothing>
      ) : (
        <Grid>
          <thead>
            <tr>
              <th>Port</th>
              <th>Label</th>
              <th>Down since</th>
            </tr>
          </thead>
          <tbody>
            {ports.slice(0, SHOWN).map((one) => (
              <tr key={`${one.switch} ${one.port}`}>
                <td className="tight">
                  <Link to={portPath(one.switch, one.port)}>
                    {one.switch} {one.port}
                  </Link>
                </td>
                <td>{one.alias}</td>
                <td className="tight">{one.since ? <Age at={one.since} ago /> : "not known"}</td>
              </tr>
            ))}
          </tbody>
        </Grid>
      )}
      {ports.length > SHOWN && (
        <Nothing>
          {ports.length - SHOWN} more; <code>kiteroll port closed --elsewhere</code> lists all.
        </Nothing>
      )}
    </Sheet>
  );
}

function Actions() {
  const actions = useInfiniteQuery(actionsQuery({}));
  const rows = actions.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Sheet tabIndex={0} aria-label="actions">
      {actions.error && <ErrorNotice error={actions.error} />}
      {rows.length === 0 ? (
        <Nothing>Nothing was done to any switch.</Nothing>
      ) : (
        <Grid>
          <thead>
            <tr>
              <th>When</th>
              <th>Where</th>
              <th>What</th>
              <th>From, to</th>
              <th>By</th>
              <th>Reason</th>
              <th>Answer of the switch</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((one) => (
              <tr key={one.id}>
                <td className="tight">
                  <Age at={one.began_at} ago />
                </td>
                <td className="tight">
                  {one.port ? (
                    <Link to={portPath(one.switch, one.port)}>
                      {one.switch} {one.port}
                    </Link>
                  ) : (
                    one.switch
                  )}
                </td>
                <td className="tight">{stateText(one)}</td>
                <td className="tight">
                  {one.was || "empty"} → {one.to || "empty"}
                </td>
                <td className="tight">{one.asked_by || `the ${one.via}`}</td>
                <td>
                  {one.reason}
                  {(one.overridden ?? []).length > 0 && ` (over the guard ${one.overridden.join(", ")})`}
                </td>
                <td className="soft">{one.outcome}</td>
              </tr>
            ))}
          </tbody>
        </Grid>
      )}
      {actions.hasNextPage && (
        <Button size="sm" variant="outline" margin="8px" onClick={() => void actions.fetchNextPage()}>
          More
        </Button>
      )}
    </Sheet>
  );
}
