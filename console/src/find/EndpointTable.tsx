// Search results: one row per endpoint with its home; expanded, every place it is seen at and why.
import { chakra } from "@chakra-ui/react";
import { Fragment } from "react";
import type { Endpoint, Place } from "../api/client";
import { Age } from "../shared/Age";
import { Grid, Sheet } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath, portPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import { useDisclosureSet } from "../shared/useDisclosureSet";
import { markFragment, originText, vlanText } from "./model";

export function EndpointTable({
  endpoints,
  text,
  chosen,
}: {
  endpoints: Endpoint[];
  text: string;
  chosen: number;
}) {
  const [open, toggle] = useDisclosureSet();
  return (
    <Sheet tabIndex={0} aria-label="endpoints">
      <Grid>
        <thead>
          <tr>
            <th>Address</th>
            <th className="wide">IP and name</th>
            <th>Switch and port</th>
            <th className="wide">VLAN</th>
            <th>Life</th>
            <th className="wide">Since</th>
            <th>Last seen</th>
            <th className="wide">Port label</th>
            <th>
              <chakra.span srOnly>Details</chakra.span>
            </th>
          </tr>
        </thead>
        <tbody>
          {endpoints.map((one, row) => {
            const place = one.home ?? one.places[0];
            const isOpen = open.has(one.mac) || endpoints.length === 1;
            return (
              <Fragment key={one.mac}>
                <chakra.tr
                  data-chosen={row === chosen || undefined}
                  css={{
                    "&[data-chosen]": { bg: "tint", boxShadow: "inset 3px 0 0 var(--chakra-colors-kite)" },
                  }}
                >
                  <td className="mono">
                    <TimeLink to={endpointPath(one.mac)}>
                      <Marked mac={one.mac} text={text} />
                    </TimeLink>
                    {one.label && (
                      <chakra.div fontFamily="body" fontSize="13px">
                        {one.label}
                      </chakra.div>
                    )}
                    <chakra.div display={{ base: "block", md: "none" }} fontSize="13px" color="soft">
                      {one.ips[0] ?? one.host_names[0]}
                    </chakra.div>
                  </td>
                  <td className="mono wide">
                    {one.ips.join(", ")}
                    {one.host_names.length > 0 && (
                      <chakra.div color="soft" fontFamily="body" fontSize="13px">
                        {one.host_names.join(", ")}
                      </chakra.div>
                    )}
                  </td>
                  <td>{place ? <Where place={place} home={one.home !== null} /> : "nowhere"}</td>
                  <td className="wide">{place && vlanText(place.vlan, place.vlan_name)}</td>
                  <td>
                    <StatusText of={place?.life ?? "gone"} />
                  </td>
                  <td className="tight wide">{place && <Age at={place.began_at} />}</td>
                  <td className="tight">{place && <Age at={place.seen_at} ago />}</td>
                  <td className="wide">{place?.port_alias}</td>
                  <td>
                    {endpoints.length > 1 && (
                      <chakra.button
                        type="button"
                        color="tarn"
                        cursor="pointer"
                        aria-expanded={isOpen}
                        aria-label={`why, and other places of ${one.mac}`}
                        onClick={() => toggle(one.mac)}
                      >
                        {isOpen ? "less" : "why?"}
                      </chakra.button>
                    )}
                  </td>
                </chakra.tr>
                {isOpen && (
                  <tr>
                    <td colSpan={9}>
                      <Places endpoint={one} />
                    </td>
                  </tr>
                )}
              </Fragment>
            );
          })}
        </tbody>
      </Grid>
    </Sheet>
  );
}

function Marked({ mac, text }: { mac: string; text: string }) {
  return markFragment(mac, text).map((piece) =>
    piece.hit ? (
      <chakra.mark key="hit" bg="mark" color="ink" borderRadius="2px">
        {piece.text}
      </chakra.mark>
    ) : (
      <span key={piece.text}>{piece.text}</span>
    ),
  );
}

function Where({ place, home }: { place: Place; home: boolean }) {
  return (
    <span>
      <TimeLink to={portPath(place.switch, place.port)}>
        {place.switch} · {place.port}
      </TimeLink>
      {!home && <chakra.span color="soft"> (not its own port)</chakra.span>}
    </span>
  );
}

function Places({ endpoint }: { endpoint: Endpoint }) {
  const others = endpoint.places.filter(
    (place) => place.switch !== endpoint.home?.switch || place.port !== endpoint.home?.port,
  );
  return (
    <chakra.div
      padding="2px 0 8px 14px"
      borderLeft="3px solid"
      borderColor="tarn"
      maxWidth={{ base: "calc(100vw - 60px)", md: "none" }}
    >
      <p>
        {endpoint.home ? "Home here because " : "No home: "}
        {endpoint.why}. First seen <Age at={endpoint.first_seen_at} ago />
        {". "}
        {originText(endpoint.maker, endpoint.origin)}
      </p>
      {others.length > 0 && (
        <chakra.ul marginTop="4px" color="soft" css={{ "& li": { padding: "1px 0" } }}>
          {others.map((place) => (
            <li key={`${place.switch} ${place.port} ${place.vlan}`}>
              <StatusText of={place.life} /> at {place.switch} · {place.port}
              {place.leads_to.length > 0 && `, which leads to ${leads(place)}`}, last seen{" "}
              <Age at={place.seen_at} ago />
            </li>
          ))}
        </chakra.ul>
      )}
    </chakra.div>
  );
}

/** The next switch, and how many more are behind it. */
export function leads(one: { leads_to: string[]; leads_to_count: number }): string {
  const more = one.leads_to_count - 1;
  return more > 0 ? `${one.leads_to[0]} and ${more.toLocaleString()} more` : `${one.leads_to[0]}`;
}
