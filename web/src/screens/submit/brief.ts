/** The brief's fields, what each must be, and keeping them in this browser until they are submitted. */
import { z } from "zod";

const text = (message: string) => z.string().trim().min(1, message);

export const briefShape = z.object({
  name: text("Name the model."),
  version: text("Give the version."),
  tier: z.enum(["1", "2", "3"]),
  outcome: z.enum(["binary", "multiclass", "number"]),
  purpose: text("Say what it is for."),
  owner: text("Say who built it."),
  use: z.string(),
  population: z.string(),
  target: text("Choose the target."),
  positive: z.string(),
  part: z.string(),
  identifier: z.array(z.string()),
  protected: z.array(z.string()),
  ignore: z.array(z.string()),
  family: z.string(),
  settings: z.string(),
  missing: z.string(),
  scale: z.string(),
  encode: z.string(),
  threshold: z.string(),
  seed: z.string(),
  claims: z.array(z.object({ measure: text("Name the measure."), part: z.string(), value: text("Give the value.") })),
});
export type BriefFields = z.infer<typeof briefShape>;

export const EMPTY: BriefFields = {
  name: "", version: "", tier: "2", outcome: "binary", purpose: "", owner: "", use: "", population: "", target: "", positive: "", part: "", identifier: [], protected: [], ignore: [],
  family: "", settings: "", missing: "median", scale: "none", encode: "onehot", threshold: "0.5", seed: "0", claims: [],
};

const KEPT = "brookfall.brief";

/** What was typed and not yet submitted; the files themselves must be chosen again. */
export function keptBrief(): BriefFields {
  try {
    return { ...EMPTY, ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<BriefFields>) };
  } catch {
    return EMPTY;
  }
}

export function keepBrief(fields: BriefFields) {
  localStorage.setItem(KEPT, JSON.stringify(fields));
}

export function forgetBrief() {
  localStorage.removeItem(KEPT);
}

export const isStarted = (fields: BriefFields) => JSON.stringify(fields) !== JSON.stringify(EMPTY);
