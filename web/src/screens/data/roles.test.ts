import { describe, expect, it } from "vitest";
import type { Roles } from "../../api/client";
import { groundOf, moved, ofNoGround, roleOf, spokenAs, tied, toggledProtected } from "./roles";

const ALL = ["id", "x", "z", "sex", "age", "y"];
const START: Roles = {
  target: "y",
  positive: "yes",
  identifier: ["id"],
  protected: ["sex", "age"],
  also_features: ["age"],
  part: null,
  weight: null,
  group: null,
  time: null,
  occasion: null,
  alternative: null,
  available: null,
  observed: null,
  ignore: [],
  features: null,
};

describe("the role of a column", () => {
  it("is a feature where nothing else is said", () => {
    expect(ALL.map((name) => roleOf(START, name))).toEqual([
      "identifier",
      "feature",
      "feature",
      "none",
      "feature",
      "target",
    ]);
  });
  it("is what the list says where there is a list", () => {
    const listed = { ...START, features: ["x"] };
    expect(roleOf(listed, "x")).toBe("feature");
    expect(roleOf(listed, "z")).toBe("none");
  });
});

describe("moving a column", () => {
  it("takes it out of where it was", () => {
    const next = moved(START, "id", "ignore", ALL);
    expect(next.identifier).toEqual([]);
    expect(next.ignore).toEqual(["id"]);
  });
  it("lets one column at most have a single role", () => {
    const first = moved(START, "x", "weight", ALL);
    const second = moved(first, "z", "weight", ALL);
    expect(second.weight).toBe("z");
    expect(roleOf(second, "x")).toBe("feature");
  });
  it("frees a single role when its column goes elsewhere", () => {
    const next = moved(moved(START, "x", "time", ALL), "x", "feature", ALL);
    expect(next.time).toBeNull();
    expect(roleOf(next, "x")).toBe("feature");
  });
  it("never leaves the case without a target", () => {
    expect(moved(START, "y", "feature", ALL)).toBe(START);
    const next = moved(START, "x", "target", ALL);
    expect(next.target).toBe("x");
    expect(next.positive).toBeNull();
    expect(roleOf(next, "y")).toBe("feature");
  });
  it("keeps a protected column protected, feature or not", () => {
    const learned = moved(START, "sex", "feature", ALL);
    expect(learned.also_features).toEqual(["age", "sex"]);
    const not = moved(learned, "sex", "none", ALL);
    expect(not.also_features).toEqual(["age"]);
    expect(not.protected).toEqual(["sex", "age"]);
  });
  it("to no role makes the list of features plain", () => {
    const next = moved(START, "x", "none", ALL);
    expect(next.features).toEqual(["z", "age"]);
    expect(roleOf(next, "x")).toBe("none");
    expect(roleOf(next, "z")).toBe("feature");
  });
  it("to where it is changes nothing", () => {
    expect(moved(START, "x", "feature", ALL)).toBe(START);
  });
});

describe("marking as protected", () => {
  it("changes what is audited and not what is learned from", () => {
    const next = toggledProtected(START, "x");
    expect(next.protected).toEqual(["sex", "age", "x"]);
    expect(roleOf(next, "x")).toBe("feature");
  });
  it("can be taken back without making the column a feature", () => {
    const next = toggledProtected(START, "sex");
    expect(next.protected).toEqual(["age"]);
    expect(roleOf(next, "sex")).toBe("ignore");
  });
  it("and back again gives a feature back", () => {
    expect(roleOf(toggledProtected(toggledProtected(START, "x"), "x"), "x")).toBe("feature");
  });
  it("is not for the target", () => {
    expect(toggledProtected(START, "y")).toBe(START);
  });
});

describe("the ground of a protected column", () => {
  const [sex, code] = [
    { name: "sex", ground: "sex" },
    { name: "q17", ground: null },
  ];
  it("is the one its name names, until it is tied", () => {
    expect(groundOf(START, sex)).toBe("sex");
    expect(groundOf(START, code)).toBe("");
    expect(groundOf(tied(START, code, "religion"), code)).toBe("religion");
    expect(groundOf(tied(START, sex, ""), sex)).toBe("");
  });
  it("keeps no tie that says what the name does", () => {
    const once = tied(tied(START, sex, "age"), sex, "sex");
    expect(once.grounds).toEqual({});
  });
  it("is none where the reviewer says so, whatever the column holds", () => {
    expect(ofNoGround(START, "q17").grounds).toEqual({ q17: "" });
    expect(groundOf(ofNoGround(START, "sex"), sex)).toBe("");
  });
  it("goes with the mark", () => {
    const next = tied(toggledProtected(START, "q17"), code, "religion");
    expect(toggledProtected(next, "q17").grounds).toEqual({});
  });
});

describe("How people are spoken of", () => {
  const women = spokenAs(START, "sex", "f", "women");
  it("is kept by column and level", () => {
    expect(spokenAs(women, "sex", "m", "men").spoken).toEqual({ sex: { f: "women", m: "men" } });
    expect(spokenAs(women, "age", "65+", "of 65 and over").spoken?.sex).toEqual({ f: "women" });
  });
  it("is gone when emptied, and with the mark", () => {
    expect(spokenAs(women, "sex", "f", "").spoken).toEqual({});
    const marked = START.protected?.includes("sex") ? women : toggledProtected(women, "sex");
    expect(toggledProtected(marked, "sex").spoken).toEqual({});
  });
});
