import { describe, expect, it } from "vitest";
import type { BriefFields } from "./BriefForm";
import { headerOf, submissionFrom } from "./submission";

const FIELDS: BriefFields = {
  name: "Model", version: "1", tier: "2", purpose: "To see", owner: "Us", use: "", population: "", target: "y", positive: "", identifier: ["id"], protected: [], ignore: [],
  family: "tree", settings: "depth: 3\n\nrows_per_leaf:5\nnonsense", missing: "median", scale: "none", encode: "onehot", threshold: "0.5", seed: "7",
  claims: [{ measure: " auc ", part: "", value: " 0.80 " }],
};

describe("the declaration made from the form", () => {
  it("leaves out what was left empty and keeps values as written", () => {
    const made = submissionFrom(FIELDS, "data/rows.csv");
    expect(made.model.use).toBeNull();
    expect(made.data[0]?.roles.positive).toBeNull();
    expect(made.claims).toEqual([{ measure: "auc", part: null, value: "0.80" }]);
  });
  it("reads settings a line at a time", () => {
    expect(submissionFrom(FIELDS, "p").recipe?.settings).toEqual({ depth: "3", rows_per_leaf: "5" });
  });
  it("has no recipe where no family was chosen", () => {
    expect(submissionFrom({ ...FIELDS, family: "" }, "p").recipe).toBeNull();
  });
});

describe("the header of a file", () => {
  it("is its first row", () => {
    expect(headerOf("a,b c,d\n1,2,3\n")).toEqual(["a", "b c", "d"]);
  });
  it("may be quoted and may carry a mark", () => {
    expect(headerOf('\ufeff"a, b","say ""x""",c\r\n1,2,3')).toEqual(["a, b", 'say "x"', "c"]);
  });
  it("is nothing for what is no text", () => {
    expect(headerOf("PAR1\u0000\u0001")).toEqual([]);
    expect(headerOf("")).toEqual([]);
  });
});
