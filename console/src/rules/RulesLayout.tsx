// The frame of everything about rules: its pages, and the edits that are not applied yet.
import { useState } from "react";
import { Outlet, useLocation, useOutletContext } from "react-router";
import { counted } from "../shared/count";
import { Title } from "../shared/Grid";
import { LeaveGuard } from "../shared/LeaveGuard";
import { SubPage, SubPages } from "../shared/SubPages";
import type { Pending } from "./model";

interface Context {
  pending: Pending;
  setPending: (next: Pending) => void;
}

export const useRules = () => useOutletContext<Context>();

export function RulesLayout() {
  const { pathname } = useLocation();
  const [pending, setPending] = useState<Pending>(new Map());
  return (
    <>
      {pathname.startsWith("/rules") && <Title>Rules of ports</Title>}
      <LeaveGuard
        changed={pending.size > 0}
        within="/rules"
        what={`${counted(pending.size, "edit is", "edits are")} not applied.`}
      />
      <SubPages about="about rules">
        <SubPage to="/rules" end>
          Ports{pending.size > 0 && ` (${pending.size} not applied)`}
        </SubPage>
        <SubPage to="/roll-call">Roll call</SubPage>
        <SubPage to="/rules/levels">Levels</SubPage>
        <SubPage to="/rules/enrolment">Enrolment</SubPage>
        <SubPage to="/rules/barred">Barred</SubPage>
        <SubPage to="/rules/rehearsal">Rehearsal</SubPage>
        <SubPage to="/rules/closed">Closed ports</SubPage>
        <SubPage to="/rules/log">Log</SubPage>
      </SubPages>
      <Outlet context={{ pending, setPending } satisfies Context} />
    </>
  );
}
