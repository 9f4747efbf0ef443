// Every page of the console and its path. Each is fetched when it is first opened.
import { createBrowserRouter, type RouteObject } from "react-router";
import { Nothing } from "../shared/QueryView";
import { Shell } from "../shell/Shell";
import { Broken } from "./Broken";

/** A page that can show the past, and what on it stays as it is now. */
const past = (kept: string) => ({ handle: { past: kept } });

const page =
  <K extends string>(
    load: () => Promise<Record<K, React.ComponentType>>,
    name: K,
  ): NonNullable<RouteObject["lazy"]> =>
  async () => ({ Component: (await load())[name] });

const SWITCH_KEPT =
  "Names, labels, VLANs, speeds and rules of ports are those of now; links as far as they were kept.";

const inventory: RouteObject[] = [
  { path: "/switches", lazy: page(() => import("../switches/SwitchesPage"), "SwitchesPage") },
  { path: "/inventory/places", lazy: page(() => import("../inventory/PlacesPage"), "PlacesPage") },
  {
    path: "/inventory/collectors",
    lazy: page(() => import("../inventory/CollectorsPage"), "CollectorsPage"),
  },
  {
    path: "/inventory/credentials",
    lazy: page(() => import("../inventory/CredentialsPage"), "CredentialsPage"),
  },
  { path: "/inventory/import", lazy: page(() => import("../inventory/ImportPage"), "ImportPage") },
  {
    path: "/inventory/discovered",
    lazy: page(() => import("../inventory/DiscoveredPage"), "DiscoveredPage"),
  },
  { path: "/inventory/addresses", lazy: page(() => import("../inventory/AddressesPage"), "AddressesPage") },
  { path: "/inventory/links", lazy: page(() => import("../inventory/LinksPage"), "LinksPage") },
];

const rules: RouteObject[] = [
  { path: "/rules", lazy: page(() => import("../rules/GridPage"), "GridPage") },
  { path: "/rules/levels", lazy: page(() => import("../rules/LevelsPage"), "LevelsPage") },
  { path: "/rules/enrolment", lazy: page(() => import("../rules/EnrolmentPage"), "EnrolmentPage") },
  { path: "/rules/barred", lazy: page(() => import("../rules/BarredPage"), "BarredPage") },
  { path: "/rules/closed", lazy: page(() => import("../acting/ClosedPortsPage"), "ClosedPortsPage") },
  { path: "/rules/rehearsal", lazy: page(() => import("../rules/RehearsalPage"), "RehearsalPage") },
  { path: "/rules/log", lazy: page(() => import("../rules/LogPage"), "LogPage") },
  { path: "/roll-call", lazy: page(() => import("../rules/RollCallPage"), "RollCallPage") },
];

const service: RouteObject[] = [
  { path: "/service", lazy: page(() => import("../alerts/AlertsPage"), "AlertsPage") },
  { path: "/service/planned-work", lazy: page(() => import("../alerts/PlannedWorkPage"), "PlannedWorkPage") },
  { path: "/service/settings", lazy: page(() => import("../people/SettingsPage"), "SettingsPage") },
  { path: "/service/status", lazy: page(() => import("../service/StatusPage"), "StatusPage") },
  { path: "/service/people", lazy: page(() => import("../people/PeoplePage"), "PeoplePage") },
  { path: "/service/audit", lazy: page(() => import("../people/AuditPage"), "AuditPage") },
];

const history: RouteObject[] = [
  {
    path: "/history",
    lazy: page(() => import("../history/ChangesPage"), "ChangesPage"),
    ...past("Changes up to then are listed."),
  },
  { path: "/history/readings", lazy: page(() => import("../history/ReadingsPage"), "ReadingsPage") },
  {
    path: "/compare",
    lazy: page(() => import("../compare/ComparePage"), "ComparePage"),
    ...past("What is compared is chosen below."),
  },
];

const pages: RouteObject[] = [
  {
    path: "/",
    lazy: page(() => import("../find/FindPage"), "FindPage"),
    ...past("Found by the IPs and host names at that time; labels are the current ones."),
  },
  { path: "/endpoints", lazy: page(() => import("../endpoints/EndpointsPage"), "EndpointsPage") },
  {
    path: "/endpoints/:mac",
    lazy: page(() => import("../endpoints/EndpointPage"), "EndpointPage"),
    ...past("Label, owner and notes are the current ones."),
  },
  {
    path: "/findings",
    lazy: page(() => import("../findings/FindingsPage"), "FindingsPage"),
    ...past("Those that were open then; their words and severity are the latest."),
  },
  { path: "/findings/:id", lazy: page(() => import("../findings/FindingPage"), "FindingPage") },
  {
    path: "/map",
    lazy: page(() => import("../map/MapPage"), "MapPage"),
    ...past("Links are those known then; switches and their health are the current ones."),
  },
  { path: "/vlans", lazy: page(() => import("../vlans/VlansPage"), "VlansPage") },
  {
    path: "/vlans/:id",
    lazy: page(() => import("../vlans/VlansPage"), "VlanPage"),
    ...past("VLAN name and port labels are the current ones."),
  },
  {
    path: "/switches/:name",
    lazy: page(() => import("../switches/SwitchPage"), "SwitchPage"),
    ...past(SWITCH_KEPT),
  },
  { path: "/account", lazy: page(() => import("../people/AccountPage"), "AccountPage") },
  { lazy: page(() => import("../inventory/InventoryLayout"), "InventoryLayout"), children: inventory },
  { lazy: page(() => import("../rules/RulesLayout"), "RulesLayout"), children: rules },
  { lazy: page(() => import("../people/ServiceLayout"), "ServiceLayout"), children: service },
  { lazy: page(() => import("../history/HistoryLayout"), "HistoryLayout"), children: history },
  { path: "*", element: <Nothing>There is no such page.</Nothing> },
];

export const makeRouter = () =>
  createBrowserRouter([
    {
      element: <Shell />,
      HydrateFallback: () => null,
      children: [{ errorElement: <Broken />, children: pages }],
    },
  ]);
