import { describe, expect, it } from "vitest";
import { EMPTY, type BriefFields } from "./brief";
import type { DataFile } from "./dataFile";
import { submissionFrom } from "./submission";

const FIELDS: BriefFields = {
  ...EMPTY,
  name: "Model",
  version: "1",
  purpose: "To see",
  owner: "Us",
  target: "y",
  identifier: ["id"],
  family: "tree",
  settings: "depth: 3\n\nrows_per_leaf:5\nnonsense",
  seed: "7",
  claims: [{ measure: " auc ", part: "", value: " 0.80 " }],
};
const ROWS: DataFile = { name: "rows.csv", kind: "rows", part: "", key: "", how: {} };

describe("the declaration made from the form", () => {
  it("leaves out what was left empty and keeps values as written", () => {
    const made = submissionFrom(FIELDS, [ROWS]);
    expect(made.model.use).toBeNull();
    expect(made.data[0]?.roles?.positive).toBeNull();
    expect(made.claims).toEqual([{ measure: "auc", part: null, value: "0.80" }]);
  });
  it("reads settings a line at a time", () => {
    expect(submissionFrom(FIELDS, [ROWS]).recipe?.settings).toEqual({ depth: "3", rows_per_leaf: "5" });
  });
  it("has no recipe where no family was chosen", () => {
    expect(submissionFrom({ ...FIELDS, family: "" }, [ROWS]).recipe).toBeNull();
  });
});

describe("its data files", () => {
  it("declare what was corrected and nothing that was found out", () => {
    const made = submissionFrom(FIELDS, [{ ...ROWS, how: { separator: ";", missing: ["-"], types: {} } }]);
    expect(made.data[0]?.read).toEqual({ separator: ";", missing: ["-"] });
    expect(made.data[0]?.path).toBe("data/rows.csv");
  });
  it("are rows of a part, later rows, or a sample with its key", () => {
    const made = submissionFrom(FIELDS, [
      { ...ROWS, part: "train" },
      { ...ROWS, name: "later.xlsx", kind: "new_rows", part: "ignored" },
      { ...ROWS, name: "survey.csv", kind: "sample", key: "id" },
    ]);
    expect(made.data.map((entry) => [entry.name, entry.kind, entry.part, entry.key])).toEqual([
      ["rows", "rows", "train", null],
      ["later", "new_rows", null, null],
      ["survey", "sample", null, "id"],
    ]);
    expect(made.data[1]).not.toHaveProperty("roles");
  });
  it("has no positive value where the outcome is not yes/no", () => {
    expect(
      submissionFrom({ ...FIELDS, outcome: "number", positive: "yes" }, [ROWS]).data[0]?.roles?.positive,
    ).toBeNull();
  });
});
