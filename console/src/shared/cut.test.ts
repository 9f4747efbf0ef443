import { expect, it } from "vitest";

const sources = import.meta.glob("../**/*.tsx", { query: "?raw", import: "default", eager: true }) as Record<
  string,
  string
>;

it("no list is cut without saying so: who asks QueryView not to say it says it", () => {
  const silent = Object.entries(sources)
    .filter(([file]) => !file.includes(".test."))
    .filter(([, text]) => /<QueryView[^>]*cutTold/.test(text))
    .filter(([, text]) => !/moreOf\(|hasNextPage|page\.next|More to=/.test(text))
    .map(([file]) => file);
  expect(silent).toEqual([]);
});

it("every query of a page of a list is shown through QueryView or read to its end", () => {
  const limited = Object.entries(sources)
    .filter(([, text]) => /Query\(\{[^)]*limit:/.test(text))
    .filter(([, text]) => !text.includes("QueryView"))
    .map(([file]) => file);
  // Open findings are offered among other answers, as many as fit.
  expect(limited).toEqual(["../find/QuickFind.tsx"]);
});
