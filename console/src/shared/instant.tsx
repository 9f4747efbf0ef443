// The instant of a view, as context: ages count back from it, and links keep it.
import { createContext, useContext } from "react";
import { Link, type LinkProps } from "react-router";
import { withAt } from "./links";

export const Instant = createContext<string | undefined>(undefined);

/** The instant in the URL; undefined for now. */
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
