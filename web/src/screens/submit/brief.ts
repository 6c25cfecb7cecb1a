/** The brief's fields, what each must be, and how a draft holds them. */
import { z } from "zod";
import type { Draft } from "../../api/drafts";
import type { DataFile } from "./dataFile";

const text = (message: string) => z.string().trim().min(1, message);

export const briefShape = z.object({
  /** Of the model that this is a version of; empty for a new one. */
  key: z.string(),
  name: text("Name the model."),
  version: text("Give the version."),
  /** Why a version that was approved is reviewed again, on these rows; empty for a new version. */
  again: z.string(),
  tier: z.enum(["1", "2", "3"]),
  outcome: z.enum(["binary", "multiclass", "number", "choice"]),
  purpose: text("Say what it is for."),
  owner: text("Say who built it."),
  use: z.string(),
  population: z.string(),
  target: z.string(),
  positive: z.string(),
  part: z.string(),
  occasion: z.string(),
  alternative: z.string(),
  available: z.string(),
  identifier: z.array(z.string()),
  protected: z.array(z.string()),
  ignore: z.array(z.string()),
  family: z.string(),
  settings: z.string(),
  missing: z.string(),
  scale: z.string(),
  encode: z.string(),
  text: z.string(),
  threshold: z.string(),
  seed: z.string(),
  claims: z.array(z.object({ measure: text("Name the measure."), part: z.string(), value: text("Give the value.") })),
});
export type BriefFields = z.infer<typeof briefShape>;

export const EMPTY: BriefFields = {
  key: "",
  name: "",
  version: "",
  again: "",
  tier: "2",
  outcome: "binary",
  purpose: "",
  owner: "",
  use: "",
  population: "",
  target: "",
  positive: "",
  part: "",
  occasion: "",
  alternative: "",
  available: "",
  identifier: [],
  protected: [],
  ignore: [],
  family: "",
  settings: "",
  missing: "median",
  scale: "none",
  encode: "onehot",
  text: "left_out",
  threshold: "",
  seed: "0",
  claims: [],
};

export type Way = "form" | "package";

/** What a draft holds of a submission by form: the fields, and what is said of each data file. */
export interface BriefKept {
  way: Way;
  fields: BriefFields;
  files: DataFile[];
}

/** The server keeps a brief as it was given; whatever is not there is as in an empty one. */
export function briefOf(draft: Draft): BriefKept {
  const kept = draft.brief as Partial<BriefKept>;
  return {
    way: kept.way ?? (draft.files.some((file) => file.path.endsWith(".zip")) ? "package" : "form"),
    fields: { ...EMPTY, ...kept.fields },
    files: kept.files ?? [],
  };
}
