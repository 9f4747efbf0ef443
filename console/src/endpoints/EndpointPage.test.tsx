import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { createMemoryRouter, RouterProvider } from "react-router";
import { beforeEach, expect, it, vi } from "vitest";
import { system } from "../app/theme";
import { EndpointPage } from "./EndpointPage";

// The API client takes hold of `fetch` when it is loaded.
const net = vi.hoisted(() => {
  const made = { answer: (_: Request): Promise<Response> => Promise.reject(new Error("not set")) };
  globalThis.fetch = (request) => made.answer(request as Request);
  return made;
});

const A = "02:1a:01:00:00:0a";
const B = "02:1a:01:00:00:0b";
const endpoint = (mac: string) => ({
  mac,
  label: mac === A ? "Kiosk" : "",
  owner: "",
  notes: "",
  maker: "",
  origin: "local",
  ips: [],
  host_names: [],
  home: null,
  places: [],
  why: "gone: no switch has it now",
  reasons: [],
  homes_elsewhere: [],
  confidence: "none",
  first_seen_at: "2026-05-04T12:00:00Z",
  last_seen_at: null,
});

let saved: { url: string; body: unknown }[] = [];

beforeEach(() => {
  saved = [];
  net.answer = async (request) => {
    const url = new URL(request.url);
    const path = decodeURIComponent(url.pathname);
    const json = (body: unknown) =>
      new Response(JSON.stringify(body), { headers: { "content-type": "application/json" } });
    if (path.endsWith("/enrolment"))
      return json({ enrolled: ["group crew: 02:1a:01, kiosks"], barred: null });
    if (request.method === "PATCH") {
      saved.push({ url: path, body: await request.json() });
      return json(endpoint(path.slice(-17)));
    }
    if (/\/endpoints\/[^/]+$/.test(path)) return json(endpoint(path.slice(-17)));
    if (path.endsWith("/path")) {
      const start = url.searchParams.get("start");
      const hop = { port: "p1", learned: true, leads_to: [], why: "" };
      return json({ items: start ? [{ ...hop, switch: `next to ${start}` }] : [], next: null });
    }
    if (/\/(path|ips|homes|quiet-times|reading-pauses)$/.test(path)) return json([]);
    return json({ items: [], next: null });
  };
});

function open() {
  const routes = [{ path: "/endpoints/:mac", element: <EndpointPage /> }];
  const router = createMemoryRouter(routes, { initialEntries: [`/endpoints/${A}`] });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 60_000 } } });
  render(
    <ChakraProvider value={system}>
      <QueryClientProvider client={client}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </ChakraProvider>,
  );
  return router;
}

it("never saves the notes of one endpoint on another", async () => {
  const router = open();
  const label = async () => (await screen.findByLabelText("Label")) as HTMLInputElement;
  await vi.waitFor(async () => expect((await label()).value).toBe("Kiosk"));
  await userEvent.type(await label(), " at gate 3");
  void router.navigate(`/endpoints/${B}`);
  await screen.findByText(`What you wrote about ${A} is not saved.`);
  await userEvent.click(screen.getByRole("button", { name: "Leave" }));
  // Both are in the cache by the second visit: nothing is loaded in between.
  for (const mac of [B, A, B]) {
    await router.navigate(`/endpoints/${mac}`);
    await screen.findByRole("heading", { name: mac });
    expect((await label()).value).toBe(mac === A ? "Kiosk" : "");
  }
  await userEvent.type(await label(), "Scanner");
  await userEvent.click(screen.getByRole("button", { name: "Save" }));
  await vi.waitFor(() => expect(saved).toHaveLength(1));
  expect(saved).toEqual([
    { url: `/api/v1/endpoints/${B}`, body: { label: "Scanner", owner: "", notes: "" } },
  ]);
});

it("shows the path from where somebody else is", async () => {
  open();
  await screen.findByText("No path is known.");
  await userEvent.type(screen.getByLabelText("from"), "kiosk-7");
  await screen.findByText("next to kiosk-7 · p1");
});
