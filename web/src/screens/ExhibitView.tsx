/** One exhibit from its data alone: question, answer, picture, numbers, how it was computed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Fragment, type ReactNode } from "react";
import { Link } from "react-router";
import type { Estimate, Exhibit } from "../api/client";
import { GaugeMark, markOf } from "../marks/GaugeMark";
import { Kbd } from "../parts/Kbd";
import { MeasureLink, Named } from "../parts/MethodLink";
import { methodAddress } from "../parts/methodAddress";
import { SERIF } from "../theme";
import { measureItself, plural, question, standing } from "../wording";
import { Content, type ChosenThreshold, type GroupHooks } from "./Content";
import { AskOwner } from "./questions/AskOwner";

interface ExhibitViewProps {
  exhibit: Exhibit;
  mayFind: boolean;
  isAside: boolean;
  asTables: boolean;
  onFind: (chosen?: ChosenThreshold) => void;
  onAside: () => void;
  onTables: () => void;
  replay: ReactNode;
  overruled: ReactNode;
  caseId: number;
  groups: GroupHooks;
}

export function ExhibitView({
  exhibit,
  mayFind,
  isAside,
  asTables,
  onFind,
  onAside,
  onTables,
  replay,
  overruled,
  caseId,
  groups,
}: ExhibitViewProps) {
  const estimates = exhibit.estimates ?? [];
  const wide = estimates.find((e) => e.wide_level != null);
  return (
    <article aria-label={`Exhibit ${exhibit.number}, ${exhibit.title}`}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Typography variant="h2" sx={{ fontSize: "size.lead", fontWeight: 500, color: "text.secondary" }}>
          {question(exhibit.question)} · Exhibit {exhibit.number},{" "}
          <Link to={methodAddress("check", exhibit.check)} title="How it is computed" style={{ color: "inherit" }}>
            {exhibit.title.toLowerCase()}
          </Link>
        </Typography>
        <GaugeMark standing={markOf(exhibit)} />
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {exhibit.state === "done" ? standing(exhibit.standing ?? "none") : exhibit.state.replace("_", " ")}
        </Typography>
      </Box>
      <Typography
        sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34, fontWeight: 470, my: 1, maxWidth: 700 }}
      >
        <Named text={exhibit.answer} />
      </Typography>
      {exhibit.lines?.map((line) => (
        <Typography key={line} sx={{ color: "text.secondary", fontSize: "size.text", mb: 0.5, maxWidth: 700 }}>
          <Named text={line} />
        </Typography>
      ))}
      {exhibit.provenance.remarks?.map((remark) => (
        <Typography key={remark} sx={{ color: "brook.ochre", fontSize: "size.text", mb: 1 }}>
          {remark}
        </Typography>
      ))}
      <Box sx={{ display: "flex", gap: 1, mb: 1.5 }}>
        {mayFind && (
          <Button variant="outlined" onClick={() => onFind()}>
            Write a finding&nbsp; <Kbd>f</Kbd>
          </Button>
        )}
        {mayFind && (
          <AskOwner
            byKey
            caseId={caseId}
            about={{ kind: "exhibit", key: String(exhibit.number) }}
            words={`${exhibit.title}: ${exhibit.answer}`}
          />
        )}
        <Button onClick={onAside}>
          {isAside ? "Put back" : "Set aside"}&nbsp; <Kbd>a</Kbd>
        </Button>
        {(exhibit.charts ?? []).some((chart) => chart.kind !== "matrix") && (
          <Button aria-pressed={asTables} onClick={onTables}>
            {asTables ? "As pictures" : "As tables"}&nbsp; <Kbd>t</Kbd>
          </Button>
        )}
      </Box>
      {overruled}
      <Content
        charts={exhibit.charts ?? []}
        series={exhibit.series}
        tables={exhibit.tables ?? []}
        estimates={estimates}
        asTables={asTables}
        onFind={mayFind ? onFind : undefined}
        caseId={caseId}
        groups={groups}
      />
      <HowComputed exhibit={exhibit} wide={wide} />
      {replay}
    </article>
  );
}

function HowComputed({ exhibit, wide }: { exhibit: Exhibit; wide: Estimate | undefined }) {
  const from = exhibit.provenance;
  const level = exhibit.estimates?.[0]?.level;
  const judged = (exhibit.estimates ?? []).filter((e) => e.wide_level != null).length;
  return (
    <Box
      component="section"
      aria-label="How it was computed"
      sx={{
        borderTop: 1,
        borderColor: "divider",
        pt: 1,
        fontSize: "size.small",
        color: "text.secondary",
        maxWidth: 760,
      }}
    >
      <Typography variant="h3" sx={{ fontSize: "size.text", mb: 0.25, color: "text.primary" }}>
        How it was computed
      </Typography>
      {Object.keys(from.fit_seconds ?? {}).length > 0 && (
        <div>
          A fit takes{" "}
          {Object.entries(from.fit_seconds ?? {})
            .map(([model, s]) => `${s.toFixed(2)} s (${model})`)
            .join(", ")}
          .
        </div>
      )}
      <div>
        {from.scheme.charAt(0).toUpperCase() + from.scheme.slice(1)}; seed {from.seed};{" "}
        {plural(from.fits.length, "fit")}, {from.seconds.toFixed(1)} s.
        {level !== undefined && ` Intervals at ${+(level * 100).toFixed(2)}\u00a0%.`}
      </div>
      {wide && (
        <div>
          {plural(judged, "estimate")} judged together: outside and near are read at{" "}
          {((wide.wide_level ?? 0) * 100).toFixed(2)}&nbsp;%, the thin ends of the whiskers; within and unsettled at the
          level of one alone.
        </div>
      )}
      {(exhibit.estimates ?? []).some((e) => e.few) && (
        <div>Marked few: under 30 rows, or under 5 events or non-events; shown, never judged.</div>
      )}
      <div>{from.source}</div>
      <div>
        Methods: <Link to={methodAddress("check", exhibit.check)}>{exhibit.title}</Link>
        {[...new Set((exhibit.estimates ?? []).map((one) => measureItself(one.measure)))].map(
          (name) =>
            name && (
              <Fragment key={name}>
                , <MeasureLink name={name} />
              </Fragment>
            ),
        )}
        .
      </div>
      <div style={{ wordBreak: "break-all" }}>Rows {from.rows}</div>
    </Box>
  );
}
