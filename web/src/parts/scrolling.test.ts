import { describe, expect, it } from "vitest";
import { scrolling, windowsOf } from "./scrolling";

describe("rows in windows", () => {
  it("asks for those that are seen and no more", () => {
    expect(windowsOf(0, 20, 100, 1000)).toEqual([0]);
    expect(windowsOf(90, 20, 100, 1000)).toEqual([0, 1]);
    expect(windowsOf(990, 20, 100, 1000)).toEqual([9]);
    expect(windowsOf(0, 20, 100, 5)).toEqual([0]);
    expect(windowsOf(0, 20, 100, 0)).toEqual([0]);
  });
  it("reaches the first and the last of a million", () => {
    const { height, firstAt } = scrolling(1_000_000, 28, 560);
    expect(height).toBe(8_000_000);
    expect(firstAt(0)).toBe(0);
    expect(firstAt(height - 560)).toBe(999_980);
  });
  it("goes pixel by pixel through a few", () => {
    const { height, firstAt } = scrolling(100, 28, 560);
    expect(height).toBe(2800);
    expect(firstAt(28)).toBe(1);
    expect(firstAt(2240)).toBe(80);
    expect(scrolling(3, 28, 560).firstAt(0)).toBe(0);
  });
});
