import { describe, expect, it } from "vitest";
import {
  count,
  day,
  ends,
  interval,
  measure,
  moment,
  number,
  percent,
  plural,
  questions,
  seconds,
  valueOf,
} from "./wording";

describe("numbers", () => {
  it("have a true minus sign and the decimals asked for", () => {
    expect(number(-0.0523)).toBe("\u22120.052");
    expect(number(0.5, 1)).toBe("0.5");
    expect(number(1)).toBe("1.000");
  });
  it("say when there is none", () => {
    expect(number(null)).toBe("–");
    expect(number(undefined)).toBe("–");
  });
  it("have thin spaces between thousands", () => {
    expect(count(999)).toBe("999");
    expect(count(1234567)).toBe("1\u202f234\u202f567");
  });
});

describe("the value of an estimate", () => {
  const estimate = { comparison: null, value: 1755, low: null, note: "counted, not estimated" };
  it("is a count where it was counted", () => {
    expect(valueOf(estimate)).toBe("1\u202f755");
    expect(valueOf({ ...estimate, value: 0 })).toBe("0");
    expect(valueOf({ ...estimate, note: null })).toBe("1755.000");
    expect(valueOf({ ...estimate, value: 2.5 })).toBe("2.500");
    expect(valueOf({ ...estimate, value: 12, low: 8 })).toBe("12.000");
  });
  it("says that a p value is too small for its digits", () => {
    expect(valueOf({ comparison: "p_value", value: 0.0001, low: null })).toBe("<\u202f0.001");
    expect(valueOf({ comparison: null, value: 0.0001, low: null })).toBe("0.000");
  });
});

describe("intervals", () => {
  it("stand in brackets", () => {
    expect(interval({ value: 0.7121, low: 0.6949, high: 0.7291 })).toBe("0.712 [0.695, 0.729]");
  });
  it("may be open at one end", () => {
    expect(ends({ value: 2, low: 1.2, high: null })).toBe("[1.200, ∞]");
    expect(ends({ value: 2, low: null, high: 3 })).toBe("[\u2212∞, 3.000]");
  });
  it("are left out where there is none", () => {
    expect(interval({ value: 0.5, low: null, high: null })).toBe("0.500");
    expect(interval({ value: null, low: null, high: null })).toBe("–");
  });
});

describe("words", () => {
  it("count", () => {
    expect(plural(1, "fit")).toBe("1 fit");
    expect(plural(0, "fit")).toBe("0 fits");
    expect(plural(2, "entry", "entries")).toBe("2 entries");
  });
  it("name measures as the trade does", () => {
    expect(measure("auc")).toBe("AUC");
    expect(measure("true_positive_rate")).toBe("true positive rate");
    expect(measure("auc_gap")).toBe("gap in AUC");
    expect(measure("never_heard_of")).toBe("never heard of");
  });
  it("of the seven questions come in their order", () => {
    expect(questions().map((one) => `${one.number} ${one.short}`)).toEqual(["1 data", "2 claims"]);
  });
  it("tell days and moments in UTC, whatever the zone of the reader", () => {
    expect(day("2026-12-04")).toBe("4 Dec 2026");
    expect(day(null)).toBe("");
    expect(moment("2026-11-23T23:59:10")).toBe("23 Nov 2026, 23:59 UTC");
  });
  it("round seconds to what matters", () => {
    expect(seconds(0.2)).toBe("1 s");
    expect(seconds(59.4)).toBe("59 s");
    expect(seconds(400)).toBe("6 min 40 s");
  });
});

describe("shares in percent", () => {
  it("round an exact half as the server does", () => {
    expect(percent(0.0625)).toBe("6.2\u00a0%");
    expect(percent(0.0635)).toBe("6.4\u00a0%");
    expect(percent(0.06249)).toBe("6.2\u00a0%");
    expect(percent(0.06251)).toBe("6.3\u00a0%");
    expect(percent(1)).toBe("100.0\u00a0%");
  });
});
