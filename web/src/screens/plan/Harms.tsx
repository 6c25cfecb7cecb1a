/** Which criterion? What harm matters to people, the criteria that follow from it, and what these base rates set against each other. */
import Box from "@mui/material/Box";
import { useEffect, useState } from "react";
import type { Plan as PlanBody, Schemas } from "../../api/client";
import { InlineChoice } from "../../parts/Inline";
import { count, percent } from "../../wording";
import { cutsIn, mergeable, mergedWith } from "../Regroup";

type Harm = NonNullable<PlanBody["harms"]>[number];

const HARMS: readonly (readonly [Harm, string, string])[] = [
  ["unequal_shares", "unequal shares of what is given out", "the ratio of shares selected"],
  ["passed_over", "being wrongly passed over", "the true positive rate, its difference and its ratio"],
  ["picked", "being wrongly picked", "the difference of false positive rates"],
  ["meaning", "a score that means different things", "the ratio of predictive values, and the calibration slope in every group"],
];

interface HarmsProps {
  plan: PlanBody;
  grounds: readonly Schemas["GroundFacts"][];
  off: boolean;
  set: (part: Partial<PlanBody>) => void;
}

export function Harms({ plan, grounds, off, set }: HarmsProps) {
  const harms = plan.harms ?? [];
  const put = (harm: Harm, on: boolean) => set({ harms: HARMS.map(([name]) => name).filter((name) => (name === harm ? on : harms.includes(name))) });
  const judged = HARMS.filter(([name]) => harms.includes(name)).map(([, , criterion]) => criterion);
  const clashes = grounds.filter((ground) => ground.clash);
  return (
    <Box component="section" aria-label="Which criterion" sx={{ pl: 4, pb: 1 }}>
      <Box role="group" aria-label="Harms that matter" sx={{ display: "grid", gridTemplateColumns: "repeat(2, max-content)", columnGap: 3 }}>
        {HARMS.map(([name, words]) => (
          <Box component="label" key={name} sx={{ minHeight: 24, display: "flex", gap: 0.75, alignItems: "center" }}>
            <input type="checkbox" checked={harms.includes(name)} disabled={off || (harms.length === 1 && harms.includes(name))} onChange={(event) => put(name, event.target.checked)} /> {words}
          </Box>
        ))}
      </Box>
      <div>So groups are judged by {judged.join("; ")}. All other criteria are shown.</div>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <label htmlFor="harm-reason" style={{ whiteSpace: "nowrap" }}>Because</label>
        <Reason value={plan.harm_reason ?? ""} off={off} onSet={(harm_reason) => set({ harm_reason })} />
      </Box>
      {clashes.map((ground) => <Box key={ground.name} sx={{ color: "brook.ochre", fontSize: 13, maxWidth: 820 }}>{ground.clash}</Box>)}
    </Box>
  );
}

/** Saved on leaving. */
function Reason({ value, off, onSet }: { value: string; off: boolean; onSet: (text: string) => void }) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  return (
    <Box component="input" id="harm-reason" value={text} disabled={off} placeholder="why these harms matter here; the report shows it" onChange={(event: React.ChangeEvent<HTMLInputElement>) => setText(event.target.value)} onBlur={() => text !== value && onSet(text)}
      sx={{ font: "inherit", flex: 1, maxWidth: 720, minHeight: 24, border: 0, borderBottom: 1, borderColor: "divider", bgcolor: "transparent", color: "text.primary" }} />
  );
}

/** Every ground with its groups, the reference among them, and how they are made. */
export function GroundLines({ plan, grounds, off, set }: HarmsProps) {
  return (
    <Box sx={{ pl: 4, pb: 0.5 }}>
      {grounds.map((ground) => <GroundLine key={ground.name} ground={ground} plan={plan} off={off} set={set} />)}
    </Box>
  );
}

function GroundLine({ ground, plan, off, set }: { ground: Schemas["GroundFacts"]; plan: PlanBody; off: boolean; set: HarmsProps["set"] }) {
  const { name, groups, reference, cuts } = ground;
  const merged = plan.merged?.[name] ?? [];
  const sizes = groups.map((group) => `${group.level} ${count(group.n)}${group.base_rate == null ? "" : ` (${percent(group.base_rate)})`}`).join(" · ");
  const without = <T,>(part: Record<string, T> | undefined) => Object.fromEntries(Object.entries(part ?? {}).filter(([key]) => key !== name));
  return (
    <Box sx={{ fontSize: 13, lineHeight: 1.8 }}>
      {name.replaceAll("_", " ")}: against{" "}
      <InlineChoice name={`Reference group of ${name}`} value={plan.references?.[name] ?? ""} disabled={off} options={[["", `the largest, ${reference}`] as const, ...groups.map((group) => [group.level, group.level] as const)]}
        onSet={(level) => set({ references: level ? { ...plan.references, [name]: level } : without(plan.references) })} />
      {cuts && <>, in bands cut at <Cuts name={name} cuts={cuts} off={off} onSet={(next) => set({ bands: { ...plan.bands, [name]: next } })} /></>}
      {merged.length > 0 && <>; taken together {merged.map((one) => one.join(" with ")).join(", ")} {!off && <Box component="button" onClick={() => set({ merged: without(plan.merged) })} sx={{ font: "inherit", color: "primary.main", border: 0, bgcolor: "transparent", cursor: "pointer", minHeight: 24 }}>apart again</Box>}</>}
      {!cuts && !off && groups.length > 2 && <>; <InlineChoice name={`Take levels of ${name} together`} value="" disabled={off} options={[["", "take two together"] as const, ...neighbours(mergeable(groups.map((group) => group.level), ground.levels ?? [])).map(([a, b]) => [`${a}\u0000${b}`, `${a} with ${b}`] as const)]} onSet={(pair) => pair && set({ merged: { ...plan.merged, [name]: mergedWith(pair.split("\u0000"), groups.map((group) => group.level), ground.levels ?? []) } })} /></>}
      <Box component="span" sx={{ color: "text.secondary", fontSize: 12 }}> {sizes}</Box>
    </Box>
  );
}

/** Every two groups, those that stand side by side first. */
function neighbours(levels: readonly string[]): [string, string][] {
  const pairs = levels.flatMap((one, i) => levels.slice(i + 1).map((other, j): [number, [string, string]] => [j, [one, other]]));
  return pairs.sort((a, b) => a[0] - b[0]).map(([, pair]) => pair);
}

function Cuts({ name, cuts, off, onSet }: { name: string; cuts: readonly number[]; off: boolean; onSet: (cuts: number[]) => void }) {
  const written = cuts.join(", ");
  const [text, setText] = useState(written);
  useEffect(() => setText(written), [written]);
  const settle = () => {
    const next = cutsIn(text);
    if (next === null) setText(written);
    else if (next.join() !== cuts.join()) onSet(next);
  };
  return <Box component="input" aria-label={`Cuts between bands of ${name}`} value={text} disabled={off} onChange={(event: React.ChangeEvent<HTMLInputElement>) => setText(event.target.value)} onBlur={settle} sx={{ font: "inherit", width: 120, minHeight: 24, border: 0, borderBottom: 1.5, borderColor: "primary.main", bgcolor: "transparent", color: "primary.main", fontWeight: 560 }} />;
}
