import { describe, expect, it } from "vitest";
import type { Method } from "../../api/methods";
import { found } from "./find";

const method = (name: string, title: string, said: string): Method => ({
  kind: "measure",
  name,
  title,
  question: null,
  said,
  plan: "",
  limits: [],
  facts: [],
  examples: [],
  coverage: [],
  settings: {},
  source: "Wilson 1927",
});

const METHODS = [
  method("gap", "Gap", "training less out-of-fold, of the AUC"),
  method("auc", "AUC", "the share of pairs"),
  method("recall", "recall", "TP / (TP + FN)"),
];

describe("found", () => {
  it("puts those first whose name holds the words, and keeps their order otherwise", () => {
    expect(found(METHODS, "auc").map((one) => one.name)).toEqual(["auc", "gap"]);
    expect(found(METHODS, "  ").map((one) => one.name)).toEqual(["gap", "auc", "recall"]);
  });

  it("wants every word, whatever its case, of the text and of the source", () => {
    expect(found(METHODS, "WILSON pairs").map((one) => one.name)).toEqual(["auc"]);
    expect(found(METHODS, "wilson nobody")).toEqual([]);
  });
});
