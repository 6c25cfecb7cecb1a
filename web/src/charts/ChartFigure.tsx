/** A chart with what belongs to each: its title, its numbers as a table in its place, and the ways to save it. */
import Box from "@mui/material/Box";
import { useRef, useState, type ReactNode } from "react";
import { Link } from "react-router";
import { DataTable } from "../parts/DataTable";
import { number } from "../wording";
import { csvOf, fileName, pngOf, save, svgOf, type Key, type NumbersOf } from "./export";

/** A row of the numbers may lead to the rows of data behind it. */
export interface ChartNumbers extends NumbersOf {
  links?: readonly (string | null)[];
}

interface ChartFigureProps {
  title: string;
  caption: ReactNode;
  numbers: ChartNumbers;
  /** What the colours stand for, where the picture itself does not say it. */
  keys?: readonly Key[];
  asTable: boolean;
  children: ReactNode;
}

const NOT_YET = "The picture is still being drawn; try again in a moment.";

export function ChartFigure({ title, caption, numbers, keys = [], asTable, children }: ChartFigureProps) {
  const figure = useRef<HTMLElement>(null);
  const [fault, setFault] = useState("");
  const picture = () => (figure.current ? svgOf(figure.current, title, keys) : null);
  const saveSvg = () => {
    const svg = picture();
    setFault(svg ? "" : NOT_YET);
    if (svg) save(new Blob([svg], { type: "image/svg+xml" }), fileName(title, "svg"));
  };
  const savePng = () => {
    const svg = picture();
    setFault(svg ? "" : NOT_YET);
    if (svg)
      pngOf(svg)
        .then((png) => save(png, fileName(title, "png")))
        .catch(() => setFault("The picture could not be drawn; save it as SVG."));
  };
  const saveCsv = () => save(new Blob([csvOf(numbers)], { type: "text/csv" }), fileName(title, "csv"));
  return (
    <Box component="figure" ref={figure} aria-label={title} sx={{ m: 0, mb: 2 }}>
      {caption}
      {asTable ? <ChartTable title={title} numbers={numbers} /> : children}
      <Box
        sx={{ display: "flex", alignItems: "center", gap: 1, fontSize: "size.note", color: "text.secondary", pl: 0.25 }}
      >
        Save
        {!asTable && <Save name="SVG" of={title} onSave={saveSvg} />}
        {!asTable && <Save name="PNG" of={title} onSave={savePng} />}
        <Save name="CSV" of={title} onSave={saveCsv} />
        <span role="alert">{fault}</span>
      </Box>
    </Box>
  );
}

function Save({ name, of, onSave }: { name: string; of: string; onSave: () => void }) {
  return (
    <Box
      component="button"
      onClick={onSave}
      aria-label={`Save ${of} as ${name}`}
      sx={{
        all: "unset",
        cursor: "pointer",
        color: "primary.main",
        minHeight: 24,
        minWidth: 24,
        textAlign: "center",
        lineHeight: "24px",
        "&:focus-visible": { outline: 2, outlineColor: "primary.main" },
        "&:hover": { textDecoration: "underline" },
      }}
    >
      {name}
    </Box>
  );
}

function cellOf(value: ChartNumbers["rows"][number][number] | undefined): string {
  if (typeof value === "number") return Number.isInteger(value) ? String(value) : number(value, 4);
  return value ?? "–";
}

function ChartTable({ title, numbers }: { title: string; numbers: ChartNumbers }) {
  const { links } = numbers;
  return (
    <Box
      tabIndex={0}
      role="region"
      aria-label={`${title}, as a table`}
      sx={{ maxHeight: 290, overflow: "auto", my: 0.5 }}
    >
      <DataTable
        close
        wide
        staying
        label={title}
        rows={numbers.rows}
        keyOf={(_, i) => i}
        columns={[
          ...numbers.columns.map((head, j) => ({
            head,
            right: typeof numbers.rows[0]?.[j] !== "string",
            cell: (row: ChartNumbers["rows"][number]) => cellOf(row[j]),
          })),
          ...(links ? [{ cell: (_: unknown, i: number) => (links[i] ? <Link to={links[i]}>rows</Link> : "") }] : []),
        ]}
      />
    </Box>
  );
}
