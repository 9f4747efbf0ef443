// The frame of what is about the service itself: who gets alerts, who may sign in, who changed what.
import { Outlet } from "react-router";
import { useMay } from "../session/useSession";
import { SubPage, SubPages } from "../shared/SubPages";

export function ServiceLayout() {
  const administers = useMay("administer");
  return (
    <>
      <SubPages about="about the service">
        <SubPage to="/service" end>
          Alerts
        </SubPage>
        <SubPage to="/service/planned-work">Planned work</SubPage>
        <SubPage to="/service/settings">Settings</SubPage>
        <SubPage to="/service/status">Status</SubPage>
        {administers && <SubPage to="/service/people">People</SubPage>}
        {administers && <SubPage to="/service/audit">Audit log</SubPage>}
      </SubPages>
      <Outlet />
    </>
  );
}
