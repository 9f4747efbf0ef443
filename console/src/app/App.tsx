// Routes: the sign-in page for visitors, the views for everybody else.
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { createBrowserRouter, RouterProvider } from "react-router";
import { ServiceProblem } from "../api/client";
import { sessionQuery } from "../api/resources/session";
import { ComparePage } from "../compare/ComparePage";
import { EndpointPage } from "../endpoints/EndpointPage";
import { FindPage } from "../find/FindPage";
import { FindingPage } from "../findings/FindingPage";
import { FindingsPage } from "../findings/FindingsPage";
import { MapPage } from "../map/MapPage";
import { SignIn } from "../session/SignIn";
import { Nothing, QueryView } from "../shared/QueryView";
import { Shell } from "../shared/Shell";
import { SwitchesPage } from "../switches/SwitchesPage";
import { SwitchPage } from "../switches/SwitchPage";
import { VlanPage, VlansPage } from "../vlans/VlansPage";
import { system } from "./theme";

const router = createBrowserRouter([
  {
    element: <Shell />,
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
      { path: "*", element: <Nothing>There is no such page.</Nothing> },
    ],
  },
]);

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
      client.setQueryData(sessionQuery.queryKey, { signed_in: false });
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
      {(state) => (state.signed_in ? <RouterProvider router={router} /> : <SignIn />)}
    </QueryView>
  );
}
