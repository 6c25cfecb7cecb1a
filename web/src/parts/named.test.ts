import { beforeAll, describe, expect, it } from "vitest";
import { learn } from "../wording";
import { namedIn } from "./named";

const MEASURES = [
  ["auc", "AUC"],
  ["recall", "recall"],
  ["recall_at_capacity", "recall at the capacity"],
  ["brier", "Brier score"],
  ["bias", "bias"],
].map(([name, words]) => ({ name, words }));

beforeAll(() => learn({ measures: MEASURES, comparisons: {} } as unknown as Parameters<typeof learn>[0]));

const named = (text: string) => namedIn(text).map((one) => (one.measure ? `[${one.text}]` : one.text));

describe("measures in a text", () => {
  it("are found by their longest name, at the start of a sentence too", () => {
    expect(named("Recall at the capacity is 0.4, recall 0.6.")).toEqual([
      "[Recall at the capacity]",
      " is 0.4, ",
      "[recall]",
      " 0.6.",
    ]);
  });
  it("are linked once, where they are named first", () => {
    expect(named("AUC is 0.7; AUC was 0.8.")).toEqual(["[AUC]", " is 0.7; AUC was 0.8."]);
  });
  it("are no part of a longer word, and no quoted name of a column", () => {
    expect(named("It is unbiased.")).toEqual(["It is unbiased."]);
    expect(named("AUCs differ")).toEqual(["AUCs differ"]);
    expect(named("The column 'bias' is a feature; bias is 2.")).toEqual([
      "The column 'bias' is a feature; ",
      "[bias]",
      " is 2.",
    ]);
  });
  it("leave the text as it was", () => {
    const text = "The Brier score is 0.37 [0.35, 0.38]; a text without a name stays.";
    expect(
      namedIn(text)
        .map((one) => one.text)
        .join(""),
    ).toBe(text);
    expect(named("")).toEqual([]);
  });
});
