// Alerts: where they go, which findings are sent to whom, and what was sent.
import { useMay } from "../session/useSession";
import { Heading, Title } from "../shared/Grid";
import { Messages } from "./Messages";
import { Routes } from "./Routes";
import { Targets } from "./Targets";

export function AlertsPage() {
  const administers = useMay("administer");
  return (
    <>
      <Title>Alerts</Title>
      <p>
        A finding that a route takes is sent to its target once it has stood for a moment, and again when it
        is over. Nothing is sent of what another finding explains, somebody acknowledged, or planned work
        covers.
      </p>
      {administers && (
        <>
          <Heading>Targets</Heading>
          <Targets />
        </>
      )}
      <Heading>Routes</Heading>
      <Routes />
      <Heading>Sent lately</Heading>
      <Messages />
    </>
  );
}
