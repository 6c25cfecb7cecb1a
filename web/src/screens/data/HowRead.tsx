/** How the files were read, what was changed since, and how the target came to be observed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Change, Schemas } from "../../api/client";
import { useSaveObserved, useTakeTableAway } from "../../api/queries";
import { useTheCase } from "../../frame/CaseFrame";
import { Said } from "../../parts/Said";
import { useTyped } from "../../parts/typed";
import { count } from "../../wording";
import { AddTable } from "./AddTable";

interface HowReadProps {
  data: Schemas["DataView"];
  editable: boolean;
  onChanges: (changes: Change[]) => void;
}

const SMALL = { py: 0, minHeight: 24, fontSize: "size.small" } as const;

export function HowRead({ data, editable, onChanges }: HowReadProps) {
  const { theCase } = useTheCase();
  const takeAway = useTakeTableAway(theCase.id);
  const [adding, setAdding] = useState(false);
  return (
    <Box sx={{ color: "text.secondary", fontSize: "size.small" }}>
      {data.files.map((file) => (
        <Box key={file.name}>
          {file.path}
          {file.words && `, ${file.words}`}
          {file.added &&
            `; added by the reviewer as ${file.name}, ${file.kind === "sample" ? "a sample" : "later rows"}`}
          .{" "}
          {file.added && editable && (
            <Button sx={SMALL} onClick={() => takeAway.mutate(file.name)} aria-label={`Take ${file.name} away`}>
              Take away
            </Button>
          )}
        </Box>
      ))}
      {editable && (
        <Button sx={SMALL} onClick={() => setAdding(true)}>
          Add a table
        </Button>
      )}
      {adding && <AddTable caseId={theCase.id} onClose={() => setAdding(false)} />}
      <Said error={takeAway.error} />
      {data.changes.length > 0 && (
        <Box component="ul" aria-label="Changes to the table" sx={{ m: 0, pl: 2, color: "text.primary" }}>
          {data.changes_said.map((said, i) => (
            <li key={said}>
              {said.slice(0, 1).toUpperCase() + said.slice(1)}.{" "}
              {editable && (
                <Button sx={SMALL} onClick={() => onChanges(data.changes.filter((_, k) => k !== i))}>
                  Take back
                </Button>
              )}
            </li>
          ))}
        </Box>
      )}
      <Box>
        Fingerprint {data.fingerprint.slice(0, 16)}
        {data.changes.length ? `, a new version; ${count(data.submitted_rows)} rows were submitted` : ", as submitted"}.
      </Box>
      <Observed editable={editable} said={data.target_observed} target={data.roles.target || "the target"} />
    </Box>
  );
}

/** Kept in the plan, so that it is locked, replayed and reported with it. */
function Observed({ editable, said, target }: { editable: boolean; said: string; target: string }) {
  const { theCase } = useTheCase();
  const save = useSaveObserved(theCase.id);
  const { text, type } = useTyped(said);
  const settle = () => {
    if (text.trim() !== said) save.mutate(text.trim());
  };
  if (!editable)
    return (
      <Typography variant="body2">
        How {target} came to be observed: {said || "not recorded"}
      </Typography>
    );
  return (
    <>
      <label style={{ display: "flex", gap: 6, alignItems: "baseline", marginTop: 2 }}>
        <span style={{ whiteSpace: "nowrap" }}>How {target} came to be observed:</span>
        <input
          value={text}
          placeholder="for every row, or only where somebody looked, and who chose where"
          onChange={(event) => type(event.target.value)}
          onBlur={settle}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          style={{
            font: "inherit",
            flex: 1,
            minHeight: 24,
            border: 0,
            borderBottom: "1px solid var(--mui-palette-divider)",
            background: "transparent",
            color: "var(--mui-palette-text-primary)",
          }}
        />
      </label>
      <Said error={save.error} />
    </>
  );
}
