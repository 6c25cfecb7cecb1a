/** The theme: sizes by name, and stillness for those who asked for it. */
import { afterEach, describe, expect, it, vi } from "vitest";

async function themeWhere(stillness: boolean) {
  vi.resetModules();
  vi.stubGlobal("matchMedia", (query: string) => ({ matches: stillness && query.includes("reduced-motion") }));
  return (await import("./theme")).theme;
}

afterEach(() => {
  vi.unstubAllGlobals();
});

describe("the theme", () => {
  it("moves for those who said nothing", async () => {
    const theme = await themeWhere(false);
    expect(theme.transitions.create(["color"])).toContain("ms");
    expect(theme.transitions.duration.standard).toBeGreaterThan(0);
  });

  it("stands still for those who asked for it", async () => {
    const theme = await themeWhere(true);
    expect(theme.transitions.create(["color"])).toBe("none");
    expect(Object.values(theme.transitions.duration).every((duration) => duration === 0)).toBe(true);
  });

  it("has sizes that rise in the order of their names", async () => {
    const { size } = (await themeWhere(false)).typography;
    const sizes = Object.values(size);
    expect(sizes).toEqual([...sizes].sort((a, b) => a - b));
    expect(new Set(sizes).size).toBe(sizes.length);
    // Nothing that has to be read is smaller than this.
    expect(Math.min(...sizes)).toBeGreaterThanOrEqual(10.5);
  });

  it("gives a size by its name where a component asks for it", async () => {
    const theme = await themeWhere(false);
    expect(theme.unstable_sx({ fontSize: "size.small" })).toEqual({ fontSize: 12 });
    expect(theme.unstable_sx({ fontSize: "size.title" })).toEqual({ fontSize: 22 });
  });
});
