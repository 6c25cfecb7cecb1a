/** From the form's fields to the content of submission.yaml (JSON is YAML). */
import type { BriefFields } from "./brief";
import { pathOf, tableName, type DataFile, type How } from "./dataFile";

/** Outcomes of which one value is the positive one: of a choice the one that stands for chosen. */
export const HAS_POSITIVE: readonly string[] = ["binary", "choice"];

export function submissionFrom(f: BriefFields, files: readonly DataFile[]) {
  const choice =
    f.outcome === "choice"
      ? { occasion: f.occasion || null, alternative: f.alternative || null, available: f.available || null }
      : {};
  const roles = {
    target: f.target,
    positive: HAS_POSITIVE.includes(f.outcome) ? f.positive || null : null,
    identifier: f.identifier,
    protected: f.protected,
    ignore: f.ignore,
    part: f.part || null,
    ...choice,
  };
  return {
    brookfall: "1",
    re_review: f.again.trim() || null,
    model: {
      name: f.name,
      key: f.key || null,
      version: f.version,
      tier: f.tier,
      outcome: f.outcome,
      purpose: f.purpose,
      owner: f.owner,
      use: f.use || null,
      population: f.population || null,
    },
    data: files.map((file, i) => ({
      name: tableName(file),
      path: pathOf(file),
      read: said(file.how),
      kind: file.kind,
      part: file.kind === "rows" ? file.part.trim() || null : null,
      key: file.kind === "sample" ? file.key : null,
      ...(i === 0 ? { roles } : {}),
    })),
    recipe: f.family
      ? {
          family: f.family,
          settings: settingsFrom(f.settings),
          preprocess: { missing: f.missing, scale: f.scale, encode: f.encode, text: f.text },
          threshold: f.threshold.trim() || null,
          seed: f.seed,
        }
      : null,
    claims: f.claims.map((claim) => ({
      measure: claim.measure.trim(),
      part: claim.part.trim() || null,
      value: claim.value.trim(),
    })),
  };
}

/** Only what was corrected is declared; the rest is found out from the file again. */
export function said(how: How): How {
  return Object.fromEntries(
    Object.entries(how).filter(
      ([, value]) =>
        value !== null &&
        value !== undefined &&
        !(typeof value === "object" && !Array.isArray(value) && Object.keys(value).length === 0),
    ),
  );
}

function settingsFrom(lines: string): Record<string, string> {
  return Object.fromEntries(
    lines
      .split("\n")
      .map((line) => line.split(":").map((half) => half.trim()))
      .filter((halves): halves is [string, string] => halves.length === 2 && halves[0] !== ""),
  );
}
