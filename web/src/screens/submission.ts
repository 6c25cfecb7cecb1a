/** From the form's fields to the content of submission.yaml (JSON is YAML). */
import type { BriefFields } from "./BriefForm";

export function submissionFrom(f: BriefFields, path: string) {
  return {
    brookfall: "1",
    model: { name: f.name, version: f.version, tier: f.tier, outcome: "binary", purpose: f.purpose, owner: f.owner, use: f.use || null, population: f.population || null },
    data: [
      {
        name: "data",
        path,
        roles: { target: f.target, positive: f.positive || null, identifier: f.identifier, protected: f.protected, ignore: f.ignore },
      },
    ],
    recipe: f.family ? { family: f.family, settings: settingsFrom(f.settings), preprocess: { missing: f.missing, scale: f.scale, encode: f.encode }, threshold: f.threshold, seed: f.seed } : null,
    claims: f.claims.map((claim) => ({ measure: claim.measure.trim(), part: claim.part.trim() || null, value: claim.value.trim() })),
  };
}

function settingsFrom(lines: string): Record<string, string> {
  return Object.fromEntries(
    lines
      .split("\n")
      .map((line) => line.split(":").map((half) => half.trim()))
      .filter((halves): halves is [string, string] => halves.length === 2 && halves[0] !== ""),
  );
}

/** The names in the first row of a CSV, quotes taken off; none when the text is no CSV. */
export function headerOf(text: string): string[] {
  const line = text.replace(/^\ufeff/, "").split(/\r?\n/, 1)[0] ?? "";
  if (!/^[\x20-\x7e\u00a0-\uffff\t]*$/.test(line)) return [];
  return [...line.matchAll(/("(?:[^"]|"")*"|[^,]*)(?:,|$)/g)].map((m) => (m[1] ?? "").replace(/^"|"$/g, "").replaceAll('""', '"')).filter(Boolean);
}
