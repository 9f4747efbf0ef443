// How the service itself is: version, database, workers.
import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { healthQuery } from "../api/resources/session";
import { Age } from "../shared/Age";
import { Fact } from "../shared/Fact";
import { Facts, Heading, Title } from "../shared/Grid";
import { Notice, QueryView } from "../shared/QueryView";
import { fullTime } from "../shared/time";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";

type Worker = Schemas["WorkerHealth"];

const WORKERS: Column<Worker>[] = [
  { id: "name", header: "Worker", cell: (one) => one.name, text: (one) => one.name },
  {
    id: "running",
    header: "State",
    cell: (one) => (one.running ? "● running" : "✕ stopped"),
    text: (one) => (one.running ? "running" : "stopped"),
  },
  {
    id: "failures",
    header: "Failures in a row",
    number: true,
    cell: (one) => one.failures,
    text: (one) => one.failures,
  },
  {
    id: "failed_at",
    header: "Failed last",
    cell: (one) => one.failed_at && <Age at={one.failed_at} ago />,
    text: (one) => one.failed_at ?? "",
  },
  { id: "error", header: "Why", cell: (one) => one.error, text: (one) => one.error },
  {
    id: "starts_again_at",
    header: "Starts again",
    cell: (one) => one.starts_again_at && fullTime(one.starts_again_at),
    text: (one) => one.starts_again_at ?? "",
  },
];

export function StatusPage() {
  const health = useQuery(healthQuery);
  return (
    <>
      <Title>Service status</Title>
      <QueryView query={health} rows={6}>
        {(now) => (
          <>
            <Facts>
              <Fact label="version">Kite Roll {now.version}</Fact>
              <Fact label="running for">
                <Age at={now.started_at} />
              </Fact>
              <Fact label="database">{now.database === "up" ? "● up" : "✕ away"}</Fact>
              {now.role === "answers" && (
                <Fact label="answers for">
                  {now.tracker || "nobody yet"}
                  {now.follows_since && (
                    <>
                      , followed for <Age at={now.follows_since} />
                    </>
                  )}
                </Fact>
              )}
              <Fact label="switches">{now.switches}</Fact>
              <Fact label="endpoints known">{now.endpoints}</Fact>
              <Fact label="addresses tracked">{now.tracked}</Fact>
            </Facts>
            {now.database === "down" && <Notice tone="bad">{now.database_note}</Notice>}
            {now.follows_note && (
              <Notice tone="warn">The service that tracks is not followed: {now.follows_note}.</Notice>
            )}
            {now.clock_ahead_s > 2 && (
              <Notice tone="warn">
                The system's clock was set back by about {Math.round(now.clock_ahead_s)} s.
              </Notice>
            )}
            <Heading>Workers</Heading>
            <DataTable
              caption="workers"
              rows={now.workers}
              columns={WORKERS}
              rowKey={(one) => one.name}
              empty="None."
            />
            <chakra.p marginTop="14px">
              Measured values are at <Elsewhere to="/metrics" />; the interface is described at{" "}
              <Elsewhere to="/api/v1/openapi.json" />.
            </chakra.p>
          </>
        )}
      </QueryView>
    </>
  );
}

/** What the service answers beside the console. */
function Elsewhere({ to }: { to: string }) {
  return (
    <chakra.a href={to} color="tarn" fontWeight={600}>
      {to}
    </chakra.a>
  );
}
