/** Groups made otherwise on the spot: other bands, levels taken together, against another group or everyone else. Looked at, never kept. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { InlineChoice } from "../parts/Inline";
import { useTyped } from "../parts/typed";

export type Regrouping = Required<Schemas["Regrouping"]>;
type Ground = Schemas["GroundChart"];

export const NO_CHANGE: Regrouping = { bands: {}, merged: {}, references: {} };

export function isChanged({ bands, merged, references }: Regrouping): boolean {
  return [bands, merged, references].some((part) => Object.keys(part).length > 0);
}

/** Rising cuts written with commas or spaces between; null where they are none. */
export function cutsIn(text: string, most = 20): number[] | null {
  const cuts = text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
  if (cuts.length === 0 || cuts.length > most || cuts.some((cut) => !Number.isFinite(cut))) return null;
  return cuts.every((cut, i) => i === 0 || cut > (cuts[i - 1] as number)) ? cuts : null;
}

/** The data's own levels that a group is made of: one, or those that were taken together. */
export function levelsIn(group: string, levels: readonly string[]): string[] {
  return levels.includes(group) ? [group] : group.split(" or ");
}

/** The groups that can be taken together: all but those of whom nothing was recorded, which is no level of the data. */
export function mergeable(groups: readonly string[], levels: readonly string[]): string[] {
  return groups.filter((group) => levelsIn(group, levels).every((level) => levels.includes(level)));
}

/** The groups of several levels that there are, less what goes into a new one, and the new one. */
export function mergedWith(taken: readonly string[], groups: readonly string[], levels: readonly string[]): string[][] {
  const kept = groups
    .filter((group) => !taken.includes(group))
    .map((group) => levelsIn(group, levels))
    .filter((one) => one.length > 1);
  return [...kept, taken.flatMap((group) => levelsIn(group, levels))];
}

/** What stands for no reference group at all. */
const EVERYONE = "";

interface RegroupProps {
  caseId: number;
  /** The ground as it is shown now. */
  ground: Ground;
  wanted: Regrouping;
  mayReview: boolean;
  onWant: (wanted: Regrouping) => void;
}

export function Regroup({ caseId, ground, wanted, mayReview, onWant }: RegroupProps) {
  const name = ground.attribute;
  const groups = ground.groups.map((group) => group.replace(/ \(reference\)$/, ""));
  const [taken, setTaken] = useState<readonly string[]>([]);
  const written = (ground.cuts ?? []).join(", ");
  const { text, type } = useTyped(written);
  const [fault, setFault] = useState("");
  const without = <T,>(part: Record<string, T>) =>
    Object.fromEntries(Object.entries(part).filter(([key]) => key !== name));
  const setCuts = () => {
    const cuts = cutsIn(text);
    if (cuts === null) return setFault("Write one to twenty numbers that rise, such as 25, 40, 65.");
    setFault("");
    return onWant({ ...wanted, bands: { ...wanted.bands, [name]: cuts }, references: without(wanted.references) });
  };
  const together = () => {
    onWant({
      ...wanted,
      merged: { ...wanted.merged, [name]: mergedWith(taken, groups, ground.levels ?? []) },
      references: without(wanted.references),
    });
    setTaken([]);
  };
  return (
    <Box role="group" aria-label="Groups made otherwise" sx={{ fontSize: "size.text", mb: 1, lineHeight: 1.9 }}>
      Each against{" "}
      <InlineChoice
        name="Each group against"
        value={ground.reference == null ? EVERYONE : (groups[ground.reference] ?? EVERYONE)}
        disabled={false}
        options={[[EVERYONE, "everyone else"] as const, ...groups.map((group) => [group, group] as const)]}
        onSet={(group) => onWant({ ...wanted, references: { ...wanted.references, [name]: group } })}
      />
      .{" "}
      {ground.cuts ? (
        <>
          Bands cut at{" "}
          <Box
            component="input"
            aria-label="Cuts between the bands"
            value={text}
            onChange={(event: React.ChangeEvent<HTMLInputElement>) => type(event.target.value)}
            onKeyDown={(event: React.KeyboardEvent) => event.key === "Enter" && setCuts()}
            sx={{
              font: "inherit",
              width: 130,
              minHeight: 24,
              border: 0,
              borderBottom: 1.5,
              borderColor: "primary.main",
              bgcolor: "transparent",
              color: "primary.main",
              fontWeight: 560,
            }}
          />{" "}
          <Button onClick={setCuts}>Band so</Button>
        </>
      ) : (
        groups.length > 2 &&
        mergeable(groups, ground.levels ?? []).length > 1 && (
          <>
            Take together:{" "}
            {mergeable(groups, ground.levels ?? []).map((group) => (
              <label key={group} style={{ whiteSpace: "nowrap", marginRight: 10 }}>
                <input
                  type="checkbox"
                  checked={taken.includes(group)}
                  onChange={(event) =>
                    setTaken(event.target.checked ? [...taken, group] : taken.filter((other) => other !== group))
                  }
                />{" "}
                {group}
              </label>
            ))}
            {taken.length > 1 && <Button onClick={together}>Take {taken.length} as one group</Button>}
          </>
        )
      )}
      {fault && (
        <Box role="alert" sx={{ color: "brook.brick" }}>
          {fault}
        </Box>
      )}
      {isChanged(wanted) && (
        <Box sx={{ color: "brook.ochre" }}>
          Looked at otherwise than the plan says; nothing of this is kept.{" "}
          <Button onClick={() => onWant(NO_CHANGE)}>Back to the plan's groups</Button>{" "}
          {mayReview && <Link to={`/cases/${caseId}/plan`}>Set it in the plan</Link>}
        </Box>
      )}
    </Box>
  );
}
