// The frame of what happened: changes, differences between two instants, readings.
import { Outlet } from "react-router";
import { useAt } from "../shared/instant";
import { withAt } from "../shared/links";
import { SubPage, SubPages } from "../shared/SubPages";

export function HistoryLayout() {
  const at = useAt();
  return (
    <>
      <SubPages about="about the past">
        <SubPage to={withAt("/history", at)} end>
          Changes
        </SubPage>
        <SubPage to={withAt("/compare", at)}>Compare two instants</SubPage>
        <SubPage to="/history/readings">Readings</SubPage>
      </SubPages>
      <Outlet />
    </>
  );
}
