import { describe, expect, it } from "vitest";
import "../../testWords";
import { wordsOf } from "./entryWords";

const entry: Parameters<typeof wordsOf>[0] = {
  act: "comment",
  answer: null,
  version: "",
  until: null,
  by: "Nell",
  to: [],
};

describe("what somebody did about a finding", () => {
  it("goes on after their name", () => {
    expect(wordsOf(entry)).toBe("said");
    expect(wordsOf({ ...entry, act: "close" })).toBe("closed it");
    expect(wordsOf({ ...entry, act: "answer", answer: "disputes" })).toBe("disputes it");
    expect(wordsOf({ ...entry, act: "answer", answer: "mended", version: "1.1" })).toBe("has mended it in version 1.1");
    expect(wordsOf({ ...entry, act: "accept", until: "2027-03-31" })).toBe("accepted it as a risk until 31 Mar 2027");
  });
  it("says to whom a comment is addressed", () => {
    const to = ["Iris Calder", "Tom Aldous"].map((name) => ({ name, read: null }));
    expect(wordsOf({ ...entry, to })).toBe("said, to Iris Calder and Tom Aldous");
  });
  it("says of the clock that a date has come", () => {
    expect(wordsOf({ ...entry, act: "reopen", by: null })).toBe("has come: it is open again");
  });
});
