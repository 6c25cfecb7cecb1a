/** A statement as its reviewer, and as anybody else, sees it. */
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { renderToString } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { describe, expect, it, vi } from "vitest";
import type { Case } from "../api/client";
import "../testWords";
import { theme } from "../theme";

vi.stubGlobal("location", { origin: "http://127.0.0.1" });
vi.stubGlobal("localStorage", { getItem: () => null });
const { keyOf, OWN, Statement } = await import("./Statement");

const due = { ...OWN, name: "use", title: "Intended use", asks: "Who acts on it?", due: true };
const written = {
  ...due,
  id: 12,
  number: 3,
  judgement: "Crews do.",
  standing: "near" as const,
  reason: "One winter.",
  author: "Iris Marrow",
  changed: "2026-11-29T12:00:00Z",
  revision: 2,
  files: [{ id: 5, path: "minutes.pdf", size: 54_321, sha256: "ab".repeat(32) }],
};

function drawn(statement: typeof due, review: boolean): string {
  return renderToString(
    <ThemeProvider theme={theme}>
      <QueryClientProvider client={new QueryClient()}>
        <MemoryRouter>
          <Statement theCase={{ id: 7, may: { review } } as Case} statement={statement} onWritten={() => undefined} />
        </MemoryRouter>
      </QueryClientProvider>
    </ThemeProvider>,
  ).replaceAll("<!-- -->", "");
}

describe("a statement that is due", () => {
  it("is a form to its reviewer", () => {
    const html = drawn(due, true);
    expect(html).toContain("due, not written");
    expect(html).toContain("Your judgement");
    expect(html).not.toContain("What it answers");
  });

  it("is missing to anybody else", () => {
    const html = drawn(due, false);
    expect(html).toContain("Nobody has written it.");
    expect(html).not.toContain("<form");
  });
});

describe("a statement that is written", () => {
  it("says what is judged, how it stands and why, and links its files", () => {
    const html = drawn(written as never, false);
    expect(html).toContain("Crews do.");
    expect(html).toContain("Holds with reservations, because:");
    expect(html).toContain('href="/api/cases/7/statements/12/files/5"');
    expect(html).toContain("by Iris Marrow, 29 Nov 2026, 12:00 UTC");
    expect(html).not.toContain("Take away");
    expect(html).not.toContain("Change it");
  });

  it("can be changed and withdrawn by its reviewer", () => {
    const html = drawn(written as never, true);
    for (const words of ["Change it", "Withdraw", "Take minutes.pdf away", "Attach files"])
      expect(html).toContain(words);
  });
});

describe("the address of a statement", () => {
  it("is the policy's name, and a number for the others", () => {
    expect(keyOf(due)).toBe("use");
    expect(keyOf(written as never)).toBe("use");
    expect(keyOf({ ...(written as never as typeof due), withdrawn: true })).toBe("12");
    expect(keyOf({ ...(written as never as typeof due), name: "" })).toBe("12");
    expect(keyOf(OWN)).toBe("own");
  });
});
