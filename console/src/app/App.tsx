// The sign-in page for visitors, the pages for everybody else.
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { RouterProvider } from "react-router";
import { type Schemas, ServiceProblem } from "../api/client";
import { sessionQuery } from "../api/resources/session";
import { confirmingMutations } from "../shared/confirmations";
import { QueryView } from "../shared/QueryView";
import { makeRouter } from "./routes";
import { system } from "./theme";

// Whoever is signed in already does not fetch the way in.
const SignIn = lazy(() => import("../session/SignIn").then((all) => ({ default: all.SignIn })));
const FirstPassword = lazy(() => import("../session/SignIn").then((all) => ({ default: all.FirstPassword })));

const SIGNED_OUT: Schemas["Session"] = {
  signed_in: false,
  name: "",
  rights: [],
  must_change_password: false,
  openid: "",
  latest_event: "",
};

export function makeQueryClient(): QueryClient {
  const client: QueryClient = new QueryClient({
    mutationCache: confirmingMutations(),
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
  const [router] = useState(makeRouter);
  const session = useQuery(sessionQuery);
  return (
    <Suspense>
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
    </Suspense>
  );
}
