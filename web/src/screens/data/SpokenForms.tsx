/** How the people of each level of a protected column are spoken of, in answers, findings and the report. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Roles } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { useTyped } from "../../parts/typed";
import { spokenAs } from "./roles";

interface SpokenFormsProps {
  column: string;
  levels: readonly string[];
  roles: Roles;
  editable: boolean;
  onRoles: (roles: Roles) => void;
}

export function SpokenForms({ column, levels, roles, editable, onRoles }: SpokenFormsProps) {
  const forms = roles.spoken?.[column] ?? {};
  const plain = column.replaceAll("_", " ");
  return (
    <Box component="section" aria-label={`How the people of ${plain} are spoken of`} sx={{ mt: 2, maxWidth: 640 }}>
      <Typography sx={{ color: "text.secondary", mb: 0.5 }}>
        Answers and findings name the people of a level as you would: women, of 65 and over, in group Birch. Forms of
        several columns follow each other: women of 65 and over. A level without one is named with its column.
      </Typography>
      <DataTable
        close
        label={`How the people of ${plain} are spoken of`}
        rows={levels}
        keyOf={(level) => level}
        columns={[
          { head: "level", cell: (level) => level },
          {
            head: "spoken of as",
            cell: (level) => (
              <Form
                level={level}
                form={forms[level] ?? ""}
                otherwise={`${plain} ${level}`}
                editable={editable}
                onSet={(form) => onRoles(spokenAs(roles, column, level, form))}
              />
            ),
          },
        ]}
      />
    </Box>
  );
}

interface FormProps {
  level: string;
  form: string;
  otherwise: string;
  editable: boolean;
  onSet: (form: string) => void;
}

/** Saved on Enter or on leaving. */
function Form({ level, form, otherwise, editable, onSet }: FormProps) {
  const { text, type, putBack } = useTyped(form);
  const settle = () => {
    const wanted = text.trim().replace(/\s+/g, " ");
    if (wanted === form) putBack();
    else onSet(wanted);
  };
  return (
    <input
      aria-label={`${level} is spoken of as`}
      value={text}
      placeholder={otherwise}
      maxLength={60}
      disabled={!editable}
      onChange={(event) => type(event.target.value)}
      onBlur={settle}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") putBack();
      }}
      style={{ font: "inherit", minHeight: 24, width: "24ch" }}
    />
  );
}
