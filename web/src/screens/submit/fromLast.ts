/** A next version's form, filled in with what the last one declared; and what of that a form has no field for. */
import type { Schemas } from "../../api/client";
import { count } from "../../wording";
import { EMPTY, type BriefFields } from "./brief";

export type Declared = Schemas["CaseView"]["submission"];

/** Of which version a form was filled in, and what that declared and the form can't say. */
export interface Filled {
  version: string;
  left: string[];
}

const ROLES = ["weight", "group", "time", "observed"] as const;

/** The fields as the last version declared them; the version itself is left to be given. */
export function fieldsOf(declared: Declared): BriefFields {
  const { model, recipe } = declared;
  const roles = declared.data[0]?.roles;
  return {
    ...EMPTY,
    name: model.name,
    tier: String(model.tier) as BriefFields["tier"],
    outcome: model.outcome,
    purpose: model.purpose,
    owner: model.owner,
    use: model.use ?? "",
    population: model.population ?? "",
    target: roles?.target ?? "",
    positive: roles?.positive ?? "",
    part: roles?.part ?? "",
    occasion: roles?.occasion ?? "",
    alternative: roles?.alternative ?? "",
    available: roles?.available ?? "",
    identifier: [...(roles?.identifier ?? [])],
    protected: [...(roles?.protected ?? [])],
    ignore: [...(roles?.ignore ?? [])],
    ...(recipe && {
      family: recipe.family,
      settings: Object.entries(recipe.settings ?? {})
        .filter(([, value]) => isPlain(value))
        .map(([name, value]) => `${name}: ${String(value)}`)
        .join("\n"),
      missing: recipe.preprocess?.missing ?? EMPTY.missing,
      scale: recipe.preprocess?.scale ?? EMPTY.scale,
      encode: recipe.preprocess?.encode ?? EMPTY.encode,
      text: recipe.preprocess?.text ?? EMPTY.text,
      threshold: recipe.threshold == null ? "" : String(recipe.threshold),
      seed: String(recipe.seed ?? 0),
    }),
    claims: (declared.claims ?? [])
      .filter(isSimple)
      .map(({ measure, part, value }) => ({ measure, part: part ?? "", value })),
  };
}

/** What the last version declared and a form can't say: whoever needs it sends a package. */
export function notInForm(declared: Declared): string[] {
  const { recipe } = declared;
  const roles = declared.data[0]?.roles;
  const found = ROLES.filter((name) => roles?.[name]).map((name) => `the ${name} column ${roles?.[name]}`);
  if (roles?.features) found.push("its own list of features");
  if (roles?.also_features?.length) found.push("protected columns that are features too");
  if (roles && (Object.keys(roles.grounds ?? {}).length || Object.keys(roles.spoken ?? {}).length))
    found.push("the grounds of columns and how groups are spoken of");
  if (declared.model.capacity != null) found.push("the capacity");
  if (recipe?.split) found.push("how the recipe was split");
  if (recipe?.preprocess?.rare) found.push("the share under which levels are joined");
  if (Object.values(recipe?.settings ?? {}).some((value) => !isPlain(value))) found.push("settings with lists in them");
  const claims = (declared.claims ?? []).filter((claim) => !isSimple(claim)).length;
  if (claims) found.push(claims === 1 ? "one claim" : `${count(claims)} claims`);
  if (declared.predictions?.length) found.push("supplied scores");
  if (declared.artifact) found.push("the fitted model");
  if (declared.expectations?.length) found.push("what is expected of its shape");
  return found;
}

const isPlain = (value: unknown) => value !== null && typeof value !== "object";

/** A claim of a measure on a part, with nothing else to it. */
function isSimple(claim: NonNullable<Declared["claims"]>[number]): boolean {
  return (
    claim.method == null && claim.folds == null && claim.threshold == null && claim.class == null && claim.n == null
  );
}
