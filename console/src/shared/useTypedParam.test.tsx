import { act, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter, useNavigate } from "react-router";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { laterThan, useTypedParam } from "./useTypedParam";

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

it("knows what was typed since from what came with a link", () => {
  expect(laterThan(["9", "9e", "9e4a"], "9e")).toEqual(["9e4a"]);
  expect(laterThan(["9", "9e"], "9e")).toEqual([]);
  expect(laterThan(["9", "9e"], "")).toBeNull();
  expect(laterThan([], "9e")).toBeNull();
});

const inRouter = ({ children }: { children: ReactNode }) => (
  <MemoryRouter initialEntries={["/?q=4a"]}>{children}</MemoryRouter>
);

it("puts what is typed into the URL, and follows a link", () => {
  const used = renderHook(() => ({ param: useTypedParam("q", 40), go: useNavigate() }), {
    wrapper: inRouter,
  });
  const [typed, setTyped] = used.result.current.param;
  expect(typed).toBe("4a");
  act(() => setTyped("9e:4a "));
  act(() => void vi.advanceTimersByTime(40));
  expect(used.result.current.param[0]).toBe("9e:4a ");
  expect(used.result.current.param[2]).toBe("9e:4a");
  act(() => void used.result.current.go("/?q=quay"));
  expect(used.result.current.param[0]).toBe("quay");
});
