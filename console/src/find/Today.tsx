// Today: what needs a look first, then how the last hours went, and what changed lately.
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy } from "react";
import { Link, useNavigate } from "react-router";
import type { Switch } from "../api/client";
import { findingsQuery } from "../api/resources/findings";
import { changesQuery } from "../api/resources/history";
import { healthQuery } from "../api/resources/session";
import { switchesQuery } from "../api/resources/switches";
import { FindingTable } from "../findings/FindingTable";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Heading, More, Sheet } from "../shared/Grid";
import { switchesOfSitePath, switchPath } from "../shared/links";
import { Nothing, Notice, QueryView } from "../shared/QueryView";
import { ChangeTable } from "../switches/ChangeTable";
import { FreshnessOf } from "./Freshness";
import { type OutOfDate, outOfDateBySite } from "./model";
import { SavedQueries } from "./SavedQueries";
import { Trends } from "./Trends";

// Of a network without switches alone.
const FirstSwitch = lazy(() =>
  import("../switches/FirstSwitch").then((all) => ({ default: all.FirstSwitch })),
);

const MOST_FINDINGS = 8;

export function Today() {
  const health = useQuery(healthQuery);
  const switches = useQuery(switchesQuery);
  const findings = useQuery(findingsQuery({ state: ["open"], sort: "severity", limit: MOST_FINDINGS }));
  const changes = useQuery(changesQuery({ limit: 25 }));
  const navigate = useNavigate();
  const mayAdd = useMay("administer");
  if (switches.data?.items.length === 0) {
    return <FirstSwitch add={mayAdd ? () => navigate("/switches?add=yes") : undefined} />;
  }
  return (
    <Box>
      <QueryView query={switches} rows={2}>
        {(page) => (
          <Flex gap="28px" wrap="wrap" margin="18px 0 4px">
            <Fact
              label="switches read"
              value={`${page.items.filter((each) => each.healthy).length} of ${page.items.length}`}
            />
            <Fact label="findings open" value={health.data?.open_findings.toLocaleString() ?? "…"} />
            <Fact label="endpoints known" value={health.data?.endpoints.toLocaleString() ?? "…"} />
            <Fact label="oldest reading" value={<Oldest switches={page.items} />} />
          </Flex>
        )}
      </QueryView>
      {health.data?.database === "down" && (
        <Notice tone="bad">The database is away: {health.data.database_note}</Notice>
      )}
      {(health.data?.clock_ahead_s ?? 0) > 2 && (
        <Notice tone="warn">
          The system's clock was set back by about {Math.round(health.data?.clock_ahead_s ?? 0)} s. Until it
          has caught up with the latest readings, time goes on at half speed here.
        </Notice>
      )}
      <SavedQueries />
      {switches.data && <Troubled switches={switches.data.items} />}
      <Heading>
        Open findings <More to="/findings">all findings</More>
      </Heading>
      <Sheet tabIndex={0} aria-label="findings">
        <QueryView query={findings} cutTold rows={4}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>No open findings.</Nothing>
            ) : (
              <>
                <FindingTable findings={page.items} />
                {page.next && (
                  <Notice tone="soft">
                    The worst {page.items.length} are shown. <More to="/findings">all findings</More>
                  </Notice>
                )}
              </>
            )
          }
        </QueryView>
      </Sheet>
      <Trends />
      {switches.data && switches.data.items.length > 0 && <FreshnessOf switches={switches.data.items} />}
      <Heading>
        Latest changes <More to="/history">all changes</More>
      </Heading>
      <Sheet tabIndex={0} aria-label="changes">
        <QueryView query={changes} cutTold rows={10}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>No changes yet. They appear here as switches are read.</Nothing>
            ) : (
              <ChangeTable changes={page.items} />
            )
          }
        </QueryView>
      </Sheet>
    </Box>
  );
}

function Fact({ label, value }: { label: string; value: React.ReactNode }) {
  return (
    <Box>
      <chakra.div fontSize="24px" fontWeight={700} lineHeight="1.1">
        {value}
      </chakra.div>
      <chakra.div color="soft">{label}</chakra.div>
    </Box>
  );
}

function Oldest({ switches }: { switches: Switch[] }) {
  const watched = switches.filter((one) => one.enabled);
  if (watched.length === 0) return "none";
  if (watched.some((one) => one.read_at === null)) return "never";
  const oldest = watched.reduce((a, b) => ((a.read_at ?? "") < (b.read_at ?? "") ? a : b));
  return <Age at={oldest.read_at} />;
}

/** Named one by one; more are counted by site. */
const MOST_TROUBLED = 8;

function Troubled({ switches }: { switches: Switch[] }) {
  const watched = switches.filter((one) => one.enabled);
  const troubled = watched.filter((one) => !one.healthy);
  if (troubled.length === 0) return null;
  if (troubled.length > MOST_TROUBLED) return <TroubledSites sites={outOfDateBySite(watched)} />;
  return (
    <Notice tone="warn">
      Out of date:{" "}
      {troubled.map((one, at) => (
        <span key={one.name}>
          {at > 0 && ", "}
          <chakra.span color="tarn" fontWeight={600}>
            <Link to={switchPath(one.name)}>{one.name}</Link>
          </chakra.span>{" "}
          ({one.health}, last read <Age at={one.read_at} />
          {one.read_at ? " ago" : ""})
        </span>
      ))}
    </Notice>
  );
}

function TroubledSites({ sites }: { sites: OutOfDate[] }) {
  return (
    <Notice tone="warn">
      Out of date:{" "}
      {sites.slice(0, MOST_TROUBLED).map((one, at) => (
        <span key={one.site}>
          {at > 0 && ", "}
          {one.count} of {one.of} at{" "}
          <chakra.span color="tarn" fontWeight={600}>
            <Link to={switchesOfSitePath(one.site, "read_at")}>{one.site || "no site"}</Link>
          </chakra.span>
        </span>
      ))}
      {sites.length > MOST_TROUBLED && ` and at ${sites.length - MOST_TROUBLED} more sites`}.{" "}
      <More to="/switches?sort=read_at">switches by reading</More>
    </Notice>
  );
}
