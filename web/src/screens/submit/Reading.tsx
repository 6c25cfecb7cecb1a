/** How a data file would be read: found out, shown, and corrected where it was found out wrongly. */
import Box from "@mui/material/Box";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { InlineChoice } from "../../parts/Inline";
import { count, plural } from "../../wording";
import type { How } from "./dataFile";

interface ReadingProps {
  preview: Schemas["Preview"];
  how: How;
  onHow: (how: How) => void;
}

const SEPARATORS = [
  [",", "commas"],
  [";", "semicolons"],
  ["\t", "tabs"],
  ["|", "bars"],
] as const;
const DECIMALS = [
  [".", "point"],
  [",", "comma"],
] as const;
const ENCODINGS = [
  ["utf-8", "UTF-8"],
  ["cp1252", "Windows-1252"],
  ["utf-16", "UTF-16"],
] as const;
const HEADERS = [
  ["yes", "names the columns"],
  ["no", "is data already"],
] as const;
const KINDS = [
  ["number", "number"],
  ["category", "category"],
  ["yes_no", "yes/no"],
  ["date", "date"],
  ["text", "text"],
] as const;
const USUAL = "NA, N/A, null, None, NaN";

export function Reading({ preview, how, onHow }: ReadingProps) {
  const found = preview.how;
  const set = (change: How) => onHow({ ...how, ...change });
  return (
    <Box sx={{ pl: 1.5, borderLeft: 2, borderColor: "divider" }}>
      <Box sx={{ lineHeight: 1.9 }}>
        {found.separator && (
          <>
            Separated by{" "}
            <InlineChoice
              name="Separator"
              value={found.separator}
              options={SEPARATORS}
              disabled={false}
              onSet={(separator) => set({ separator })}
            />
            ,{" "}
          </>
        )}
        {found.decimal && (
          <>
            decimal{" "}
            <InlineChoice
              name="Decimal mark"
              value={found.decimal}
              options={DECIMALS}
              disabled={false}
              onSet={(decimal) => set({ decimal })}
            />
            ,{" "}
          </>
        )}
        {found.encoding && (
          <>
            in{" "}
            <InlineChoice
              name="Encoding"
              value={found.encoding}
              options={ENCODINGS}
              disabled={false}
              onSet={(encoding) => set({ encoding })}
            />
            ;{" "}
          </>
        )}
        {preview.sheets.length > 0 && (
          <>
            sheet{" "}
            <InlineChoice
              name="Sheet"
              value={found.sheet ?? ""}
              options={preview.sheets.map((s) => [s, s] as const)}
              disabled={false}
              onSet={(sheet) => set({ sheet })}
            />
            ;{" "}
          </>
        )}
        {found.header !== null && (
          <>
            the first row{" "}
            <InlineChoice
              name="First row"
              value={found.header ? "yes" : "no"}
              options={HEADERS}
              disabled={false}
              onSet={(yes) => set({ header: yes === "yes" })}
            />
            .{" "}
          </>
        )}
        <Missing words={how.missing ?? null} onSet={(missing) => set({ missing })} />
      </Box>
      <Box sx={{ color: "text.secondary", fontSize: "size.small", mb: 0.5 }}>
        {preview.whole ? `${plural(preview.rows, "row")}, ` : `From the first ${count(preview.rows)} rows: `}
        {plural(preview.columns.length, "column")}. Kinds are found out from all rows once more when the model is
        submitted.
      </Box>
      <Box
        sx={{ maxHeight: 190, overflow: "auto", borderTop: 1, borderColor: "divider" }}
        tabIndex={0}
        role="region"
        aria-label="Columns of the file"
      >
        <DataTable
          close
          wide
          label="Kinds of the columns"
          rows={preview.columns}
          keyOf={(column) => column.name}
          columns={[
            { cell: (column) => <b style={{ fontWeight: 550 }}>{column.name}</b> },
            {
              cell: (column) => (
                <InlineChoice
                  name={`Kind of ${column.name}`}
                  value={column.kind as (typeof KINDS)[number][0]}
                  options={KINDS}
                  disabled={false}
                  onSet={(kind) => set({ types: { ...how.types, [column.name]: kind } })}
                />
              ),
            },
            { cell: (column) => column.words.split(", ").slice(1).join(", ") },
            { sx: { color: "text.secondary" }, cell: (column) => column.examples.join(" · ") },
          ]}
        />
      </Box>
    </Box>
  );
}

function Missing({ words, onSet }: { words: string[] | null; onSet: (words: string[] | null) => void }) {
  const [text, setText] = useState(words?.join(", ") ?? "");
  const settle = () => {
    const wanted = text
      .split(",")
      .map((word) => word.trim())
      .filter(Boolean);
    if (wanted.join() !== (words ?? []).join()) onSet(wanted.length ? wanted : null);
  };
  return (
    <label>
      Missing is an empty cell, or{" "}
      <input
        value={text}
        placeholder={USUAL}
        onChange={(event) => setText(event.target.value)}
        onBlur={settle}
        aria-label="What counts as missing"
        style={{
          font: "inherit",
          minHeight: 24,
          width: 190,
          border: 0,
          borderBottom: "1.5px solid var(--mui-palette-primary-main)",
          background: "transparent",
          color: "inherit",
        }}
      />
    </label>
  );
}
