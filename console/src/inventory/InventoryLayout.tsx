// The frame of everything about which switches are watched, and how they are read.
import { Outlet } from "react-router";
import { SubPage, SubPages } from "../shared/SubPages";

export function InventoryLayout() {
  return (
    <>
      <SubPages about="about the inventory">
        <SubPage to="/switches">Switches</SubPage>
        <SubPage to="/inventory/discovered">Discovered</SubPage>
        <SubPage to="/inventory/import">Import</SubPage>
        <SubPage to="/inventory/credentials">Credentials</SubPage>
        <SubPage to="/inventory/places">Sites and groups</SubPage>
        <SubPage to="/inventory/collectors">Collectors</SubPage>
        <SubPage to="/inventory/addresses">Addresses</SubPage>
        <SubPage to="/inventory/links">Links and mappings</SubPage>
      </SubPages>
      <Outlet />
    </>
  );
}
