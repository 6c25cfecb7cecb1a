import { describe, expect, it } from "vitest";
import { EMPTY, type BriefFields } from "./brief";
import { fieldsOf, notInForm, type Declared } from "./fromLast";
import { submissionFrom } from "./submission";

const FIELDS: BriefFields = {
  ...EMPTY,
  name: "Model",
  tier: "1",
  purpose: "To see",
  owner: "Us",
  use: "Daily",
  population: "All",
  target: "y",
  positive: "yes",
  part: "part",
  identifier: ["id"],
  protected: ["sex"],
  ignore: ["note"],
  family: "tree",
  settings: "depth: 3\nrows_per_leaf: 5",
  scale: "standard",
  threshold: "0.4",
  seed: "7",
  claims: [{ measure: "auc", part: "test", value: "0.80" }],
};

/** As the server sends it: numbers are numbers, and nothing is left out. */
function declared(fields: BriefFields, more: Partial<Declared> = {}): Declared {
  const file = { name: "rows.csv", kind: "rows", part: "", key: "", how: {} } as const;
  return { ...submissionFrom(fields, [file]), artifact: null, predictions: [], expectations: [], ...more } as never;
}

describe("a next version's form", () => {
  it("says what the last one said, but for its version", () => {
    expect(fieldsOf(declared({ ...FIELDS, version: "1.0" }))).toEqual({ ...FIELDS, version: "", key: "" });
  });
  it("has no recipe where there was none", () => {
    expect(fieldsOf(declared({ ...FIELDS, family: "" }))).toMatchObject({ family: "", settings: "", seed: EMPTY.seed });
  });
  it("leaves out the claims that it has no fields for, and says so", () => {
    const folds = { measure: "auc", part: null, value: "0.8", method: "cross_validation", folds: 10 };
    const last = declared(FIELDS, { claims: [folds] as never });
    expect(fieldsOf(last).claims).toEqual([]);
    expect(notInForm(last)).toEqual(["one claim"]);
  });
});

describe("what a form can't say", () => {
  it("is nothing where all was said in one", () => {
    expect(notInForm(declared(FIELDS))).toEqual([]);
  });
  it("is told one by one", () => {
    const last = declared(FIELDS);
    const roles = {
      ...last.data[0]?.roles,
      time: "day",
      features: ["x"],
      also_features: ["sex"],
      grounds: { a: "age" },
    };
    const whole = {
      ...last,
      model: { ...last.model, capacity: 20 },
      data: [{ ...last.data[0], roles }],
      recipe: { ...last.recipe, split: { seed: 3 }, settings: { layers: [3, 2] } },
      predictions: [{}],
    } as never;
    expect(notInForm(whole)).toEqual([
      "the time column day",
      "its own list of features",
      "protected columns that are features too",
      "the grounds of columns and how groups are spoken of",
      "the capacity",
      "how the recipe was split",
      "settings with lists in them",
      "supplied scores",
    ]);
    expect(fieldsOf(whole).settings).toBe("");
  });
});
