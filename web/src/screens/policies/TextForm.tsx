/** The form in which a finding's text is written for the house, with fields in braces. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import type { Schemas } from "../../api/client";
import { useChangeTemplate, useKeepTemplate, type Template } from "../../api/templates";
import { Said } from "../../parts/Said";
import { useUnsent } from "../../parts/unsent";
import { severities, severity } from "../../wording";

const NOTHING = { name: "", check: "", severity: 2, title: "", what: "", why: "", action: "" };

const FIELDS = [
  ["what", "What is wrong"],
  ["why", "Why it matters"],
  ["action", "What must be done"],
] as const;

interface TextFormProps {
  kept: Template | null;
  checks: readonly { name: string; title: string }[];
  fields: Schemas["FieldName"][];
  onClose: () => void;
}

export function TextForm({ kept, checks, fields, onClose }: TextFormProps) {
  const keep = useKeepTemplate();
  const change = useChangeTemplate(kept?.id ?? 0);
  const [before] = useState(kept?.words ? { name: kept.name, check: kept.fits, ...kept.words } : NOTHING);
  const { typed, put, letGo } = useUnsent(`brookfall.text.${kept ? `${kept.id}@${kept.revision}` : "new"}`, before);
  const send = (event: FormEvent) => {
    event.preventDefault();
    const { name, check, ...words } = typed;
    const text = { name, check, words };
    const onSuccess = () => {
      letGo();
      onClose();
    };
    if (kept) change.mutate({ revision: kept.revision, text }, { onSuccess });
    else keep.mutate(text, { onSuccess });
  };
  return (
    <Box
      component="form"
      aria-label="Text of a finding"
      onSubmit={send}
      sx={{ display: "grid", gap: 1.5, maxWidth: 860, mb: 3 }}
    >
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 260px 150px", gap: 1 }}>
        <TextField
          required
          autoFocus
          label="Name of the text"
          value={typed.name}
          onChange={(event) => put({ name: event.target.value })}
        />
        <TextField
          select
          label="For exhibits of"
          slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
          value={typed.check}
          onChange={(event) => put({ check: event.target.value })}
        >
          <option value="">any check</option>
          {checks.map((one) => (
            <option key={one.name} value={one.name}>
              {one.title}
            </option>
          ))}
        </TextField>
        <TextField
          select
          label="Severity"
          slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
          value={typed.severity}
          onChange={(event) => put({ severity: Number(event.target.value) })}
        >
          {severities().map((one) => (
            <option key={one} value={one}>
              {severity(one)}
            </option>
          ))}
        </TextField>
      </Box>
      <TextField required label="Title" value={typed.title} onChange={(event) => put({ title: event.target.value })} />
      {FIELDS.map(([field, label]) => (
        <TextField
          key={field}
          multiline
          required={field === "what"}
          label={label}
          value={typed[field]}
          onChange={(event) => put({ [field]: event.target.value })}
        />
      ))}
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        The case fills in {fields.map((one) => `{${one.name}} (${one.stands_for})`).join(", ")}. Any other word in
        braces is left to whoever writes the finding.
      </Typography>
      <Said error={keep.error ?? change.error} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={keep.isPending || change.isPending}>
          Keep the text
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </Box>
    </Box>
  );
}
