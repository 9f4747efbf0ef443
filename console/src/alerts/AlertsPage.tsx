// Telling people: where alerts go, which findings are told to whom, and what was told.
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
        A finding that a route takes is told to its target some seconds after it opened, and again when it is
        over. What another finding explains, what somebody acknowledged, and what lies in planned work is not.
      </p>
      {administers && (
        <>
          <Heading>Targets</Heading>
          <Targets />
        </>
      )}
      <Heading>Routes</Heading>
      <Routes />
      <Heading>Told lately</Heading>
      <Messages />
    </>
  );
}
