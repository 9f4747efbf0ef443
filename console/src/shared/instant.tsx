// The instant of a view, known to all that is in it: what ages count back from, and links stay at.
import { createContext, useContext } from "react";
import { Link, type LinkProps } from "react-router";
import { withAt } from "./links";

export const Instant = createContext<string | undefined>(undefined);

/** The instant that a URL tells; undefined for now. */
export function instantOf(params: URLSearchParams): string | undefined {
  const given = params.get("at");
  return given && !Number.isNaN(Date.parse(given)) ? new Date(given).toISOString() : undefined;
}

/** The instant of the view; undefined for now. */
export const useAt = () => useContext(Instant);

/** A link that stays at the instant of the view. */
export function TimeLink({ to, ...rest }: LinkProps & { to: string }) {
  return <Link to={withAt(to, useAt())} {...rest} />;
}
