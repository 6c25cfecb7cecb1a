import { QueryClient } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";
import { lastLook, setKnown } from "./known";

/** A question that is answered when the test says so. */
function slow(cache: QueryClient, key: string[]) {
  let answer: (value: string[]) => void = () => undefined;
  const asked = cache.fetchQuery({
    queryKey: key,
    queryFn: () => new Promise<string[]>((resolve) => (answer = resolve)),
  });
  return { answer: (value: string[]) => answer(value), settled: asked.catch(() => undefined) };
}

describe("what was last seen in the data", () => {
  const view = (ready: boolean, roles: string | null) => ({
    ready,
    fault: null,
    look: roles === null ? null : { columns: [], issues: [], not_collected: [roles] },
  });

  it("is of the newest revision that was looked at, and of this case alone", () => {
    const cache = new QueryClient();
    cache.setQueryData(["look", 7, 10], view(true, "of 10"));
    cache.setQueryData(["look", 7, 9], view(true, "of 9"));
    cache.setQueryData(["look", 7, 11], view(false, null));
    cache.setQueryData(["look", 8, 12], view(true, "another case"));
    expect(lastLook(cache, 7)?.not_collected).toEqual(["of 10"]);
    expect(lastLook(cache, 9)).toBeNull();
  });
});

describe("what is known of a draft", () => {
  it("is not undone by an older answer that comes late", async () => {
    const cache = new QueryClient();
    cache.setQueryData(["draft", "1"], []);
    const asked = slow(cache, ["draft", "1"]);
    setKnown<string[]>(cache, ["draft", "1"], (files) => files && [...files, "asked.csv"]);
    asked.answer([]);
    await asked.settled;
    expect(cache.getQueryData(["draft", "1"])).toEqual(["asked.csv"]);
    expect(cache.getQueryState(["draft", "1"])?.fetchStatus).toBe("idle");
  });

  it("leaves the first answer to come where nothing is known yet", async () => {
    const cache = new QueryClient();
    const asked = slow(cache, ["draft", "2"]);
    setKnown<string[]>(cache, ["draft", "2"], (files) => files && [...files, "asked.csv"]);
    asked.answer(["first.csv"]);
    await asked.settled;
    expect(cache.getQueryData(["draft", "2"])).toEqual(["first.csv"]);
  });

  it("leaves questions of other keys alone", async () => {
    const cache = new QueryClient();
    cache.setQueryData(["draft", "1"], []);
    const asked = slow(cache, ["draft", "1", "preview"]);
    setKnown<string[]>(cache, ["draft", "1"], ["a.csv"]);
    asked.answer(["rows"]);
    await asked.settled;
    expect(cache.getQueryData(["draft", "1", "preview"])).toEqual(["rows"]);
  });
});
