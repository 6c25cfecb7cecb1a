/** A check's sentence from data alone: words, controls named for a screen reader, limits, lines around it. */
import { ThemeProvider } from "@mui/material/styles";
import { renderToString } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { describe, expect, it } from "vitest";
import { theme } from "../../theme";
import { CheckSentence, StatementRow } from "./SentenceLine";
import type { Line, Part, Sentence } from "./values";

const words = (text: string): Part => ({ kind: "words", text });
const often: Part = {
  kind: "number",
  name: "Random splits",
  path: ["splits"],
  value: 200,
  least: 10,
  most: 1000,
  whole: true,
  unit: "",
  turned: false,
  mirror: null,
};
const how: Part = {
  kind: "choice",
  name: "Challengers",
  path: ["challengers"],
  value: "tuned",
  options: [
    { value: "default", words: "with their own defaults", follows: "" },
    { value: "tuned", words: "tuned inside the folds", follows: "" },
  ],
};
const harms: Part = {
  kind: "set",
  name: "Harms that matter",
  path: ["harms"],
  value: ["passed_over"],
  options: [
    { value: "unequal_shares", words: "unequal shares", follows: "the ratio of shares selected" },
    { value: "passed_over", words: "being wrongly passed over", follows: "the true positive rate" },
  ],
  so: "So groups are judged by",
  end: "All other criteria are shown.",
};
const levels: Part = {
  kind: "levels",
  name: "Take levels of area together",
  path: ["merged", "area"],
  value: [["Quay", "Market"]],
  groups: ["Quay with Market", "Hill", "Weir"],
  levels: ["Quay", "Market", "Hill", "Weir"],
};
const cuts: Part = {
  kind: "numbers",
  name: "Cuts between bands of age",
  path: ["bands", "age"],
  value: [25, 65],
  none: "",
  most: 20,
};
const reason: Part = {
  kind: "text",
  name: "Why these harms",
  path: ["harm_reason"],
  value: "",
  hint: "why they matter",
};

const sentence = (parts: Part[], over: Partial<Sentence> = {}): Sentence => ({
  parts,
  limit: [words("no limit set")],
  before: [],
  after: [],
  ...over,
});

interface How {
  on?: boolean;
  off?: boolean;
  excluded?: string | null;
}

const shown = (said: Sentence, { on = true, off = false, excluded = null }: How = {}) =>
  renderToString(
    <MemoryRouter>
      <ThemeProvider theme={theme}>
        <CheckSentence
          name="luck_of_it"
          title="Luck of the split"
          on={on}
          off={off}
          excluded={excluded}
          sentence={said}
          onToggle={() => undefined}
          onSet={() => undefined}
        />
      </ThemeProvider>
    </MemoryRouter>,
  ).replaceAll("<!-- -->", "");

describe("a sentence of the plan", () => {
  it("has words and controls in their order", () => {
    const html = shown(sentence([words("Split at random "), often, words(" times.")]));
    const places = ["Split at random ", 'aria-label="Random splits"', " times."].map((one) => html.indexOf(one));
    expect(places.every((place) => place > 0)).toBe(true);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
    expect(html).toContain("200");
  });
  it("is switched on and off by the name of its check in words", () => {
    expect(shown(sentence([words("Look.")]))).toMatch(/aria-label="Run luck of it"[^>]*checked=""/);
    expect(shown(sentence([words("Look.")]), { on: false })).not.toMatch(/aria-label="Run luck of it"[^>]*checked=""/);
  });
  it("leads to how its check is computed", () => {
    const html = shown(sentence([words("Look.")]));
    expect(html).toMatch(/href="\/methods#check-luck_of_it"[^>]*>method</);
    expect(html).toContain('aria-label="Method of Luck of the split"');
  });
  it("says why it will not run", () => {
    expect(shown(sentence([words("Look.")]), { excluded: "No recipe was submitted." })).toContain(
      "Will not run: No recipe was submitted.",
    );
    expect(shown(sentence([words("Look.")]))).not.toContain("Will not run");
  });
  it("stands still once the plan is locked", () => {
    const html = shown(sentence([often, how, harms, cuts, reason, levels]), { off: true });
    const controls = [...html.matchAll(/<(input|select)[^>]*>/g)].map((found) => found[0]);
    expect(controls.length).toBeGreaterThan(5);
    expect(controls.filter((one) => !one.includes("disabled"))).toEqual([]);
    expect(html).not.toContain("apart again");
  });
  it("has its limit beside it, with the value inside", () => {
    const limit: Part = {
      ...often,
      name: "Limit on the gap",
      path: ["policy", "gap", "at_most"],
      value: 0.05,
      whole: false,
    };
    const html = shown(sentence([words("Measure the gap.")], { limit: [words("limit: gap ≤ "), limit] }));
    // The sign would stay behind at the end of a line: it stands with its value, in one piece.
    expect(html).toMatch(/limit: gap <\/span><span style="white-space:nowrap">≤ </);
    expect(html).toContain('aria-label="Limit on the gap"');
    expect(html).toContain("0.05");
  });
  it("shows a limit that the plan keeps with the other sign as it is said", () => {
    const worse: Part = { ...often, name: "Worse by", value: -0.02, least: -1, most: 0, whole: false, turned: true };
    const html = shown(sentence([worse]));
    expect(html).toContain("0.02");
    expect(html).not.toContain("-0.02");
    expect(html).not.toContain("−0.02");
  });
  it("chooses among options by their words, whatever their values are", () => {
    const held = { version: "1.0", recipe: { family: "tree" } };
    const version: Part = {
      kind: "choice",
      name: "Version in use",
      path: ["in_use"],
      value: held,
      options: [
        { value: null, words: "none named", follows: "" },
        { value: { ...held }, words: "1.0", follows: "" },
      ],
    };
    const html = shown(sentence([version]));
    expect(html).toMatch(/<option value="1" selected="">1\.0<\/option>/);
    expect(html).toContain(">none named</option>");
    expect(shown(sentence([how]))).toMatch(/selected="">tuned inside the folds/);
  });
  it("says what follows from the harms that are chosen, and keeps one", () => {
    const html = shown(sentence([harms]));
    expect(html).toContain("So groups are judged by the true positive rate. All other criteria are shown.");
    expect(html).not.toContain("the ratio of shares selected");
    expect(html).toMatch(/<input type="checkbox" disabled="" checked=""\/> being wrongly passed over/);
  });
  it("takes levels together and apart again", () => {
    const html = shown(sentence([levels]));
    expect(html).toContain("taken together Quay and Market");
    expect(html).toContain("apart again");
    expect(html).toContain("Hill with Weir");
  });
  it("writes cuts and reasons into fields with a name and a hint", () => {
    const html = shown(sentence([cuts, reason]));
    expect(html).toMatch(/aria-label="Cuts between bands of age"[^>]*value="25, 65"/);
    expect(html).toContain('placeholder="why they matter"');
  });
  it("has lines of its own before and after, with remarks and warnings", () => {
    const before: Line = { parts: [words("Which harm matters?")], tone: "plain", remark: "" };
    const after: Line = { parts: [words("sex: against the largest")], tone: "small", remark: "f 120 · m 80" };
    const html = shown(sentence([words("Compare.")], { before: [before], after: [after] }));
    const places = ["Which harm matters?", "Compare.", "sex: against the largest", "f 120 · m 80"].map((one) =>
      html.indexOf(one),
    );
    expect(places.every((place) => place > 0)).toBe(true);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
  });
});

describe("a statement", () => {
  const statement = { name: "use", question: 7, title: "Intended use", asks: "Who acts on it?", on: true };
  const html = renderToString(
    <ThemeProvider theme={theme}>
      <StatementRow statement={statement} off={false} onToggle={() => undefined} />
    </ThemeProvider>,
  );

  it("says what is judged in writing, and can be left out", () => {
    expect(html.replace(/<[^>]+>/g, "")).toContain("Judge in writing: intended use. Who acts on it?");
    expect(html).toContain('aria-label="Ask for intended use"');
  });
});
