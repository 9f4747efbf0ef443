// Routes: the sign-in page for visitors, the views for everybody else.
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { createBrowserRouter, RouterProvider } from "react-router";
import { ClosedPortsPage } from "../acting/ClosedPortsPage";
import { AlertsPage } from "../alerts/AlertsPage";
import { PlannedWorkPage } from "../alerts/PlannedWorkPage";
import { type Schemas, ServiceProblem } from "../api/client";
import { sessionQuery } from "../api/resources/session";
import { ComparePage } from "../compare/ComparePage";
import { EndpointPage } from "../endpoints/EndpointPage";
import { FindPage } from "../find/FindPage";
import { FindingPage } from "../findings/FindingPage";
import { FindingsPage } from "../findings/FindingsPage";
import { MapPage } from "../map/MapPage";
import { AccountPage } from "../people/AccountPage";
import { AuditPage } from "../people/AuditPage";
import { PeoplePage } from "../people/PeoplePage";
import { ServiceLayout } from "../people/ServiceLayout";
import { SettingsPage } from "../people/SettingsPage";
import { BarredPage } from "../rules/BarredPage";
import { EnrolmentPage } from "../rules/EnrolmentPage";
import { GridPage } from "../rules/GridPage";
import { LevelsPage } from "../rules/LevelsPage";
import { LogPage } from "../rules/LogPage";
import { RehearsalPage } from "../rules/RehearsalPage";
import { RollCallPage } from "../rules/RollCallPage";
import { RulesLayout } from "../rules/RulesLayout";
import { FirstPassword, SignIn } from "../session/SignIn";
import { Nothing, QueryView } from "../shared/QueryView";
import { Shell } from "../shared/Shell";
import { SwitchesPage } from "../switches/SwitchesPage";
import { SwitchPage } from "../switches/SwitchPage";
import { VlanPage, VlansPage } from "../vlans/VlansPage";
import { Broken } from "./Broken";
import { system } from "./theme";

const router = createBrowserRouter([
  {
    element: <Shell />,
    children: [
      {
        errorElement: <Broken />,
        children: [
          { path: "/", element: <FindPage /> },
          { path: "/findings", element: <FindingsPage /> },
          { path: "/findings/:id", element: <FindingPage /> },
          { path: "/endpoints/:mac", element: <EndpointPage /> },
          { path: "/map", element: <MapPage /> },
          { path: "/vlans", element: <VlansPage /> },
          { path: "/vlans/:id", element: <VlanPage /> },
          { path: "/compare", element: <ComparePage /> },
          { path: "/switches", element: <SwitchesPage /> },
          { path: "/switches/:name", element: <SwitchPage /> },
          { path: "/account", element: <AccountPage /> },
          {
            path: "/service",
            element: <ServiceLayout />,
            children: [
              { index: true, element: <AlertsPage /> },
              { path: "planned-work", element: <PlannedWorkPage /> },
              { path: "settings", element: <SettingsPage /> },
              { path: "people", element: <PeoplePage /> },
              { path: "audit", element: <AuditPage /> },
            ],
          },
          { path: "/roll-call", element: <RollCallPage /> },
          {
            path: "/rules",
            element: <RulesLayout />,
            children: [
              { index: true, element: <GridPage /> },
              { path: "levels", element: <LevelsPage /> },
              { path: "enrolment", element: <EnrolmentPage /> },
              { path: "barred", element: <BarredPage /> },
              { path: "closed", element: <ClosedPortsPage /> },
              { path: "rehearsal", element: <RehearsalPage /> },
              { path: "log", element: <LogPage /> },
            ],
          },
          { path: "*", element: <Nothing>There is no such page.</Nothing> },
        ],
      },
    ],
  },
]);

const SIGNED_OUT: Schemas["Session"] = {
  signed_in: false,
  name: "",
  rights: [],
  must_change_password: false,
  openid: "",
};

export function makeQueryClient(): QueryClient {
  const client: QueryClient = new QueryClient({
    defaultOptions: {
      queries: {
        // A problem document stays the same however often the call is repeated; a lost connection may come back.
        retry: (failures, error) =>
          failures < 2 && error instanceof ServiceProblem && [0, 503].includes(error.status),
        refetchOnWindowFocus: true,
        staleTime: 2_000,
      },
    },
  });
  client.getQueryCache().subscribe((event) => {
    const error = event.query.state.error;
    if (event.type === "updated" && error instanceof ServiceProblem && error.status === 401) {
      client.setQueryData(sessionQuery.queryKey, SIGNED_OUT);
    }
  });
  return client;
}

const client = makeQueryClient();

export function App() {
  return (
    <ChakraProvider value={system}>
      <QueryClientProvider client={client}>
        <Gate />
      </QueryClientProvider>
    </ChakraProvider>
  );
}

function Gate() {
  const session = useQuery(sessionQuery);
  return (
    <QueryView query={session}>
      {(state) => {
        if (!state.signed_in) return <SignIn openid={state.openid ?? ""} />;
        return state.must_change_password ? (
          <FirstPassword session={state} />
        ) : (
          <RouterProvider router={router} />
        );
      }}
    </QueryView>
  );
}
