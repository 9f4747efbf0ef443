// The first page: one box for any fragment; below it the results, or an overview.
import { Box, chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { searchQuery } from "../api/resources/endpoints";
import { Grid, Heading, Sheet, Title } from "../shared/Grid";
import { Instant, useAt } from "../shared/instant";
import { portPath, switchPath, withAt } from "../shared/links";
import { Nothing, Notice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { useTypedParam } from "../shared/useTypedParam";
import { EndpointTable, leads } from "./EndpointTable";
import { step } from "./model";
import { Today } from "./Today";

const KeepQuery = lazy(() => import("./KeepQuery").then((all) => ({ default: all.KeepQuery })));

const TYPING_MS = 40;

export function FindPage() {
  const [typed, setTyped, text] = useTypedParam("q", TYPING_MS);
  const [chosen, setChosen] = useState(-1);
  const navigate = useNavigate();
  const box = useRef<HTMLInputElement>(null);
  const at = useAt();
  const found = useQuery(searchQuery(text, at));

  useEffect(() => box.current?.focus(), []);

  const endpoints = found.data?.endpoints ?? [];
  const onKey = (event: React.KeyboardEvent) => {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      setChosen(step(chosen, event.key, endpoints.length));
    } else if (event.key === "Enter") {
      const one = endpoints[Math.max(chosen, 0)];
      const place = one?.home ?? one?.places[0];
      if (place && typed.trim() === text && !found.isPlaceholderData) {
        navigate(withAt(portPath(place.switch, place.port), at));
      }
    } else if (event.key === "Escape") {
      setTyped("");
    }
  };

  return (
    <Box>
      <Title fontSize="16px" fontWeight={600} marginBottom="6px">
        <label htmlFor="find">Find a device, a switch or a port</label>
      </Title>
      <chakra.input
        id="find"
        ref={box}
        data-search
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setChosen(-1);
        }}
        onKeyDown={onKey}
        placeholder="last digits of an address, any notation; an IP; a switch; a label"
        autoComplete="off"
        spellCheck={false}
        width="100%"
        maxWidth="760px"
        padding="10px 14px"
        fontFamily="mono"
        fontSize="18px"
        bg="sheet"
        border="2px solid"
        borderColor="tarn"
        borderRadius="6px"
        _focusVisible={{
          outline: "none",
          borderColor: "kite",
          boxShadow: "0 0 0 1px var(--chakra-colors-kite)",
        }}
        _placeholder={{ color: "soft", fontFamily: "body", fontSize: "15px" }}
      />
      {text === "" ? (
        <Instant.Provider value={undefined}>
          {at && (
            <Notice tone="warn">What follows is how it is now; a search above is answered as of then.</Notice>
          )}
          <Today />
        </Instant.Provider>
      ) : (
        <QueryView query={found}>
          {(data) => <Results data={data} text={text} chosen={chosen} waiting={found.isPlaceholderData} />}
        </QueryView>
      )}
    </Box>
  );
}

function Results(props: { data: Schemas["SearchResult"]; text: string; chosen: number; waiting: boolean }) {
  const { data, text, chosen, waiting } = props;
  const nothing =
    data.endpoints.length + data.switches.length + data.ports.length + data.never_seen.length === 0;
  const missed = data.texts.filter((one) => one.macs.length + one.switches.length === 0);
  return (
    <Box opacity={waiting ? 0.6 : 1} aria-busy={waiting} aria-live="polite">
      {nothing && (
        <Nothing>
          No match for <chakra.code fontFamily="mono">{text}</chakra.code>. An address is known once a switch
          that is read has learned it; fewer digits find more.
        </Nothing>
      )}
      {missed.length > 0 && !nothing && (
        <Notice tone="warn">
          No match for{" "}
          {missed.map((one) => (one.problem ? `${one.text} (${one.problem})` : one.text)).join("; ")}
        </Notice>
      )}
      {data.endpoints.length > 0 && (
        <>
          <Heading>
            {data.endpoints.length}
            {data.more ? " first" : ""} {data.endpoints.length === 1 ? "endpoint" : "endpoints"}
            {data.more ? "; add digits to narrow it down" : ""}
          </Heading>
          <EndpointTable endpoints={data.endpoints} text={text} chosen={chosen} />
        </>
      )}
      {data.never_seen.length > 0 && (
        <>
          <Heading>Never seen</Heading>
          <Sheet>
            <Grid>
              <tbody>
                {data.never_seen.map((one) => (
                  <tr key={one.mac}>
                    <td className="mono">{one.mac}</td>
                    <td>{one.label}</td>
                    <td>{one.owner}</td>
                    <td>no switch has learned it yet</td>
                  </tr>
                ))}
              </tbody>
            </Grid>
          </Sheet>
        </>
      )}
      {data.switches.length > 0 && (
        <>
          <Heading>Switches</Heading>
          <Sheet>
            <Grid>
              <tbody>
                {data.switches.map((one) => (
                  <tr key={one.name}>
                    <td>
                      <Link to={switchPath(one.name)}>{one.name}</Link>
                    </td>
                    <td>{one.location}</td>
                    <td className="mono">{one.host}</td>
                    <td>
                      <StatusText of={one.health} />
                    </td>
                    <td className="n">{one.present} addresses</td>
                  </tr>
                ))}
              </tbody>
            </Grid>
          </Sheet>
        </>
      )}
      {data.ports.length > 0 && (
        <>
          <Heading>Ports</Heading>
          <Sheet>
            <Grid>
              <tbody>
                {data.ports.map((one) => (
                  <tr key={`${one.switch} ${one.name}`}>
                    <td>
                      <Link to={portPath(one.switch, one.name)}>
                        {one.switch} · {one.name}
                      </Link>
                    </td>
                    <td>{one.alias}</td>
                    <td>
                      <StatusText of={one.oper} />
                    </td>
                    <td>{one.leads_to.length > 0 ? `leads to ${leads(one)}` : ""}</td>
                    <td className="n">{one.present} addresses</td>
                  </tr>
                ))}
              </tbody>
            </Grid>
          </Sheet>
        </>
      )}
      <Suspense>{!nothing && <KeepQuery text={text} />}</Suspense>
    </Box>
  );
}
