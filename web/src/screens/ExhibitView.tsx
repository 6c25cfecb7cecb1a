/** One exhibit from its data alone: question, answer, picture, numbers, how it was computed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import type { Estimate, Exhibit, Schemas } from "../api/client";
import { IntervalStrip } from "../charts/IntervalStrip";
import { Matrix } from "../charts/Matrix";
import { LineFigure } from "../charts/LineFigure";
import { ThresholdExplorer } from "../charts/ThresholdExplorer";
import { GaugeMark } from "../marks/GaugeMark";
import { Kbd } from "../parts/Kbd";
import { SERIF } from "../theme";
import { count, ends, plural, QUESTIONS, STANDING_WORDS, valueOf } from "../wording";

interface ExhibitViewProps {
  exhibit: Exhibit;
  mayFind: boolean;
  isAside: boolean;
  asTables: boolean;
  onFind: (chosen?: ChosenThreshold) => void;
  onAside: () => void;
  onTables: () => void;
  replay: ReactNode;
}

/** A threshold that the reviewer chose on a chart: the place of the chart, the threshold, and what a miss costs. */
export interface ChosenThreshold {
  chart: number;
  threshold: number;
  missCost: number | null;
}

export function ExhibitView({ exhibit, mayFind, isAside, asTables, onFind, onAside, onTables, replay }: ExhibitViewProps) {
  const estimates = exhibit.estimates ?? [];
  const wide = estimates.find((e) => e.wide_level != null);
  return (
    <article aria-label={`Exhibit ${exhibit.number}, ${exhibit.title}`}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Typography variant="h2" sx={{ fontSize: 14, fontWeight: 500, color: "text.secondary" }}>
          {QUESTIONS[exhibit.question - 1]} · Exhibit {exhibit.number}, {exhibit.title.toLowerCase()}
        </Typography>
        <GaugeMark standing={exhibit.standing} />
        <Typography variant="body2" sx={{ color: "text.secondary" }}>{exhibit.state === "done" ? STANDING_WORDS[exhibit.standing ?? "none"] : exhibit.state.replace("_", " ")}</Typography>
      </Box>
      <Typography sx={{ fontFamily: SERIF, fontSize: 19, lineHeight: 1.34, fontWeight: 470, my: 1, maxWidth: 700 }}>{exhibit.answer}</Typography>
      <Box sx={{ display: "flex", gap: 1, mb: 1.5 }}>
        {mayFind && <Button variant="outlined" onClick={() => onFind()}>Write a finding&nbsp; <Kbd>f</Kbd></Button>}
        <Button onClick={onAside}>{isAside ? "Put back" : "Set aside"}&nbsp; <Kbd>a</Kbd></Button>
        {(exhibit.charts ?? []).some((chart) => chart.kind !== "matrix") && <Button aria-pressed={asTables} onClick={onTables}>{asTables ? "As pictures" : "As tables"}&nbsp; <Kbd>t</Kbd></Button>}
      </Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2 }}>
        {(exhibit.charts ?? []).map((chart, i) => (
          <Box key={i} sx={{ width: chart.kind === "lines" && !asTables ? 348 : "100%" }}>
            <Picture chart={chart} exhibit={exhibit} asTable={asTables} onFind={mayFind ? (chosen) => onFind({ chart: i, ...chosen }) : undefined} />
          </Box>
        ))}
      </Box>
      <Box>
        {(exhibit.tables ?? []).map((table) => <Numbers key={table.title} table={table} estimates={estimates} />)}
      </Box>
      <HowComputed exhibit={exhibit} wide={wide} />
      {replay}
    </article>
  );
}

interface PictureProps {
  chart: NonNullable<Exhibit["charts"]>[number];
  exhibit: Exhibit;
  asTable: boolean;
  onFind: ((chosen: Omit<ChosenThreshold, "chart">) => void) | undefined;
}

function Picture({ chart, exhibit, asTable, onFind }: PictureProps) {
  switch (chart.kind) {
    case "strip":
      return <IntervalStrip chart={chart} estimates={exhibit.estimates ?? []} asTable={asTable} />;
    case "lines":
      return <LineFigure chart={chart} series={exhibit.series} asTable={asTable} />;
    case "threshold":
      return <ThresholdExplorer key={exhibit.number} chart={chart} series={exhibit.series} asTable={asTable} onFind={onFind} />;
    case "matrix":
      return <Matrix {...chart} />;
    default:
      return null;
  }
}

function Numbers({ table, estimates }: { table: Schemas["TableView"]; estimates: readonly Estimate[] }) {
  return (
    <Box sx={{ overflowX: "auto", mb: 2 }}>
      <Box component="table" sx={{ borderCollapse: "collapse", width: "100%", fontSize: 12.5 }}>
        <Box component="caption" sx={{ textAlign: "left", fontWeight: 600, pb: 0.25 }}>{table.title}</Box>
        <thead>
          <tr>
            {table.columns.map((column, i) => (
              <Box component="th" scope="col" key={column} sx={{ textAlign: i === 0 ? "left" : "right", fontWeight: 500, fontSize: 12, color: "text.secondary", borderBottom: 1, borderColor: "text.primary", py: 0.5, pr: 1.25 }}>{column}</Box>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row, i) => (
            <tr key={i}>
              {row.map((cell, j) => (
                <Box component="td" key={j} sx={{ textAlign: j === 0 ? "left" : "right", borderBottom: 1, borderColor: "divider", py: 0.6, pr: 1.25, verticalAlign: "top" }}>
                  {cell.estimate != null ? <Figure estimate={estimates[cell.estimate] as Estimate} /> : cell.text}
                </Box>
              ))}
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}

function Figure({ estimate }: { estimate: Estimate }) {
  const notes = [`n ${count(estimate.n)}`, estimate.method?.replaceAll("_", " "), estimate.note].filter(Boolean).join(", ");
  return (
    <Box component="span" title={notes} sx={{ display: "inline-flex", flexWrap: "wrap", justifyContent: "flex-end", alignItems: "center", columnGap: 0.75, color: estimate.note === "too few to judge" ? "brook.muted" : "inherit" }}>
      {estimate.standing && <GaugeMark standing={estimate.standing} />}
      <b style={{ fontWeight: 550 }}>{valueOf(estimate)}</b>
      <Box component="span" sx={{ fontSize: 11, whiteSpace: "nowrap" }}>{ends(estimate)}</Box>
      <Box component="span" sx={{ color: "brook.muted", fontSize: 11, whiteSpace: "nowrap" }}>{estimate.value === null ? estimate.note : `n ${count(estimate.n)}${estimate.note === "too few to judge" ? ", few" : ""}`}</Box>
    </Box>
  );
}

function HowComputed({ exhibit, wide }: { exhibit: Exhibit; wide: Estimate | undefined }) {
  const from = exhibit.provenance;
  const judged = (exhibit.estimates ?? []).filter((e) => e.wide_level != null).length;
  return (
    <Box component="section" aria-label="How it was computed" sx={{ borderTop: 1, borderColor: "divider", pt: 1, fontSize: 12, color: "text.secondary", maxWidth: 760 }}>
      <Typography variant="h3" sx={{ fontSize: 13, mb: 0.25, color: "text.primary" }}>How it was computed</Typography>
      {Object.keys(from.fit_seconds ?? {}).length > 0 && <div>A fit takes {Object.entries(from.fit_seconds ?? {}).map(([model, s]) => `${s.toFixed(2)} s (${model})`).join(", ")}.</div>}
      <div>{from.scheme.charAt(0).toUpperCase() + from.scheme.slice(1)}; seed {from.seed}; {plural(from.fits.length, "fit")}, {from.seconds.toFixed(1)} s. Intervals at 95 %.</div>
      {wide && <div>{plural(judged, "estimate")} judged together, each at {((wide.wide_level ?? 0) * 100).toFixed(2)} %: the thin ends of the whiskers.</div>}
      {(exhibit.estimates ?? []).some((e) => e.note === "too few to judge") && <div>Marked few: under 30 rows, or under 5 events or non-events; shown, never judged.</div>}
      <div>{from.source}</div>
      <div style={{ wordBreak: "break-all" }}>Rows {from.rows}</div>
    </Box>
  );
}
