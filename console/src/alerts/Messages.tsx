// Alerts that were sent, and those that wait.
import { Button } from "@chakra-ui/react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type AlertState, messagesQuery } from "../api/resources/alerts";
import { Age } from "../shared/Age";
import { Choice, Grid, Sheet } from "../shared/Grid";
import { Nothing, QueryView } from "../shared/QueryView";

const STATES: Record<AlertState, string> = {
  sent: "✓ sent",
  sending: "→ sending",
  waiting: "◌ waiting",
  counted: "# only counted",
  failed: "✕ given up",
};

/** `finding`: of this one alone. */
export function Messages({ finding = null }: { finding?: number | null }) {
  const [state, setState] = useState<AlertState | "">("");
  const found = useInfiniteQuery(messagesQuery({ state: state ? [state] : [], finding }));
  return (
    <>
      {finding === null && (
        <Choice
          aria-label="State of alerts"
          margin="0 0 8px"
          value={state}
          onChange={(event) => setState(event.target.value as AlertState | "")}
        >
          <option value="">every state</option>
          {Object.keys(STATES).map((one) => (
            <option key={one}>{one}</option>
          ))}
        </Choice>
      )}
      <Sheet tabIndex={0} aria-label="alerts">
        <QueryView query={found} rows={3}>
          {({ pages }) => {
            const messages = pages.flatMap((page) => page.items);
            return messages.length === 0 ? <Nothing>No alerts were sent.</Nothing> : <Rows of={messages} />;
          }}
        </QueryView>
      </Sheet>
      {found.hasNextPage && (
        <Button size="sm" variant="outline" margin="10px 0" onClick={() => found.fetchNextPage()}>
          Earlier ones
        </Button>
      )}
    </>
  );
}

type Page = Awaited<ReturnType<NonNullable<ReturnType<typeof messagesQuery>["queryFn"]>>>;

function Rows({ of: messages }: { of: Page["items"] }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>When</th>
          <th>Target</th>
          <th>Why</th>
          <th>What</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        {messages.map((one) => (
          <tr key={one.id}>
            <td className="tight">
              <Age at={one.made_at} ago />
            </td>
            <td>
              <strong>{one.target}</strong>
            </td>
            <td className="tight">{one.reason}</td>
            <td>
              {one.finding == null ? one.title : <Link to={`/findings/${one.finding}`}>{one.title}</Link>}
            </td>
            <td>
              {STATES[one.state]}
              {one.possibly_repeated && ", possibly twice"}
              {one.error && `: ${one.error}`}
            </td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}
