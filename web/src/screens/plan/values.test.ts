import { describe, expect, it } from "vitest";
import type { Plan } from "../../api/client";
import { neighbours, settingsIn, withCheck, withValue } from "./values";

const plan = {
  seed: 1,
  checks: ["gap"],
  policy: { tier: 1, gap: { at_most: 0.05 } },
  references: { sex: "f" },
} as unknown as Plan;

describe("values of a plan by path", () => {
  it("puts a value where the path leads, and leaves all else as it is", () => {
    const next = withValue(plan, ["policy", "gap", "at_most"], 0.1);
    expect(next).toMatchObject({ seed: 1, policy: { tier: 1, gap: { at_most: 0.1 } } });
    expect(plan).toMatchObject({ policy: { gap: { at_most: 0.05 } } });
  });
  it("makes what is not there yet, for settings of a check that the plan knows nothing of", () => {
    expect(withValue(plan, ["settings", "drift", "rounds"], 3)).toMatchObject({ settings: { drift: { rounds: 3 } } });
  });
  it("takes a key out for null", () => {
    expect(withValue(plan, ["references", "sex"], null)).toMatchObject({ references: {} });
  });
  it("switches a check on and off", () => {
    expect(withCheck(plan, "luck", true).checks).toEqual(["gap", "luck"]);
    expect(withCheck(plan, "gap", false).checks).toEqual([]);
  });
});

describe("settings as they are written", () => {
  it("reads names and numbers", () =>
    expect(settingsIn("depth 3, class weight balanced, learning_rate=0.1")).toEqual({
      depth: 3,
      class_weight: "balanced",
      learning_rate: 0.1,
    }));
  it("reads none", () => expect(settingsIn(" ")).toEqual({}));
  it("says where a value is missing", () => expect(settingsIn("depth")).toBeNull());
});

it("sets groups side by side first", () =>
  expect(neighbours(["a", "b", "c"])).toEqual([
    ["a", "b"],
    ["b", "c"],
    ["a", "c"],
  ]));
