import { ChakraProvider } from "@chakra-ui/react";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { expect, it } from "vitest";
import type { Hop, NetworkMap } from "../api/client";
import { system } from "../app/theme";
import { OutlineMap } from "./OutlineMap";

const names = Array.from({ length: 200 }, (_, at) => `sw-${at}`);
const map: NetworkMap = {
  switches: names.map((name, at) => ({
    name,
    site: "",
    health: at === 199 ? "silent" : "read",
    healthy: at !== 199,
    present: at,
    findings: at === 199 ? 3 : 0,
  })),
  links: names.slice(1).map((name, at) => {
    const above = `sw-${Math.floor(at / 5)}`;
    return {
      a: above,
      a_port: "p1",
      b: name,
      b_port: "p9",
      why: "announces itself",
      state: "carrying",
      bundled: 1,
    };
  }),
};

function show(path: Hop[] = [], chosen = "") {
  Element.prototype.scrollIntoView = () => undefined;
  render(
    <ChakraProvider value={system}>
      <MemoryRouter>
        <OutlineMap map={map} path={path} chosen={chosen} />
      </MemoryRouter>
    </ChakraProvider>,
  );
}

const link = (name: string) => screen.queryByRole("link", { name: new RegExp(`^${name} `) });

it("shows findings behind what is folded, and unfolds it", async () => {
  show();
  expect(link("sw-199")).toBeNull();
  expect(screen.getByText("▲3 behind")).toBeVisible();
  expect(screen.getByText("1 behind not read completely")).toBeVisible();
  await userEvent.click(screen.getByRole("button", { name: /behind sw-7$/ }));
  await userEvent.click(screen.getByRole("button", { name: "4 behind sw-39" }));
  expect(link("sw-199")).toHaveTextContent("sw-199 silent ▲3");
  expect(screen.queryByText("▲3 behind")).toBeNull();
});

it("opens the path of an endpoint and nothing else", () => {
  const hop = (name: string, port: string, leads_to: string): Hop => ({
    switch: name,
    port,
    leads_to,
    learned: true,
    why: "",
  });
  show([hop("sw-39", "p9", "sw-7"), hop("sw-7", "p9", "sw-1"), hop("sw-1", "p3", "")]);
  expect(link("sw-39")).toHaveTextContent("out at p9");
  expect(link("sw-1")).toHaveTextContent("here: p3");
  expect(link("sw-199")).toBeNull();
  expect(link("sw-50")).toBeNull();
});

it("shows a switch that is looked for", () => {
  show([], "sw-199");
  expect(link("sw-199")).toHaveAttribute("data-wanted");
});
