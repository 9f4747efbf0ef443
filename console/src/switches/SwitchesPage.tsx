// The inventory: every switch, its health and when it was last read.
import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { switchesQuery } from "../api/resources/switches";
import { Age } from "../shared/Age";
import { Grid, Sheet, Title } from "../shared/Grid";
import { switchPath } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { addressText, tableUse } from "./model";
import { ReadMany } from "./ReadMany";

export function SwitchesPage() {
  const switches = useQuery(switchesQuery);
  return (
    <>
      <Title>Switches</Title>
      {switches.data && switches.data.items.length > 0 && <ReadMany switches={switches.data.items} />}
      <Sheet tabIndex={0} aria-label="switches">
        <QueryView query={switches} rows={12}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>
                None yet. Add one from a shell:{" "}
                <chakra.code fontFamily="mono">kiteroll switch add NAME ADDRESS --community NAME</chakra.code>
              </Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Switch</th>
                    <th>Where</th>
                    <th>Health</th>
                    <th>Last read</th>
                    <th className="n">Present</th>
                    <th className="n">Table</th>
                    <th>Site and groups</th>
                    <th>Address</th>
                    <th>Problem</th>
                  </tr>
                </thead>
                <tbody>
                  {page.items.map((one) => (
                    <tr key={one.name}>
                      <td>
                        <Link to={switchPath(one.name)}>{one.name}</Link>
                      </td>
                      <td>{one.location}</td>
                      <td>
                        <StatusText of={one.health} />
                      </td>
                      <td className="tight">
                        <Age at={one.read_at} ago={one.read_at !== null} />
                      </td>
                      <td className="n">{one.present}</td>
                      <td className="n tight">{one.table_size === null ? "" : tableUse(one)}</td>
                      <td>{[one.site, ...one.groups].filter(Boolean).join(", ")}</td>
                      <td className="mono">{addressText(one)}</td>
                      <td className="soft">{[one.error, ...one.warnings].filter(Boolean).join("; ")}</td>
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
