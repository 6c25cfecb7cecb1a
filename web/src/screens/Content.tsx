/** Pictures, then numbers: what an exhibit, or a comparison of models, is made of. */
import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import type { Estimate, Exhibit, Schemas } from "../api/client";
import { CombinationFigure } from "../charts/groups/CombinationFigure";
import { GroundFigure } from "../charts/groups/GroundFigure";
import { ProxyFigure } from "../charts/groups/ProxyFigure";
import { ThresholdsFigure } from "../charts/groups/ThresholdsFigure";
import { DialExplorer } from "../charts/DialExplorer";
import { IntervalStrip } from "../charts/IntervalStrip";
import { LineFigure } from "../charts/LineFigure";
import { MarksFigure } from "../charts/MarksFigure";
import { Matrix } from "../charts/Matrix";
import { ThresholdExplorer } from "../charts/ThresholdExplorer";
import { TreeFigure } from "../charts/tree/TreeFigure";
import { GaugeMark } from "../marks/GaugeMark";
import { Named } from "../parts/MethodLink";
import { namedIn } from "../parts/named";
import { SideScroll } from "../parts/SideScroll";
import { DataTable, type TableColumn } from "../parts/DataTable";
import { count, ends, valueOf } from "../wording";
import { Paged } from "./Grounds";
import { Suspects } from "./Suspects";

type AnyChart = NonNullable<Exhibit["charts"]>[number];

/** A threshold that the reviewer chose on a chart: the place of the chart, the threshold, and what a miss costs. */
export interface ChosenThreshold {
  chart: number;
  threshold: number;
  missCost: number | null;
}

interface ContentProps {
  charts: readonly AnyChart[];
  series: Exhibit["series"];
  tables: readonly Schemas["TableView"][];
  estimates: readonly Estimate[];
  asTables: boolean;
  /** The line that stands out from the others. */
  highlight?: string | undefined;
  onFind?: ((chosen: ChosenThreshold) => void) | undefined;
  /** Whose data lie behind it, where the pictures lead to them. */
  caseId?: number | undefined;
  groups?: GroupHooks | undefined;
}

/** What the pictures of groups are given: which group is chosen, a finding about one, controls above a ground's page. */
export interface GroupHooks {
  chosen: string;
  onChoose: (key: string) => void;
  onFind?: ((group: Record<string, string>) => void) | undefined;
  above?: ((ground: Schemas["GroundChart"]) => ReactNode) | undefined;
}

type PagedChart = Schemas["GroundChart"] | Schemas["GroupThresholds"];
const isPaged = (chart: AnyChart): chart is PagedChart => chart.kind === "ground" || chart.kind === "group_thresholds";

export function Content({
  charts,
  series,
  tables,
  estimates,
  asTables,
  highlight,
  onFind,
  caseId,
  groups,
}: ContentProps) {
  const pages = charts.filter(isPaged);
  return (
    <>
      <Paged pages={pages} titleOf={(page) => page.title}>
        {(page) => (
          <>
            {page.kind === "ground" && groups?.above?.(page)}
            {page.kind === "ground" ? (
              <GroundFigure key={page.title} chart={page} series={series} estimates={estimates} asTable={asTables} />
            ) : (
              <ThresholdsFigure key={page.title} chart={page} series={series} asTable={asTables} />
            )}
            {tables
              .filter((table) => table.about === page.id)
              .map((table) => (
                <Numbers key={table.id} table={table} estimates={estimates} />
              ))}
          </>
        )}
      </Paged>
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2 }}>
        {charts.map(
          (chart, i) =>
            !isPaged(chart) && (
              <Box key={i} sx={{ width: chart.kind === "lines" && !asTables ? 348 : "100%" }}>
                <Picture
                  chart={chart}
                  series={series}
                  estimates={estimates}
                  highlight={highlight}
                  asTable={asTables}
                  onFind={onFind && ((chosen) => onFind({ chart: i, ...chosen }))}
                  caseId={caseId}
                  groups={groups}
                />
              </Box>
            ),
        )}
      </Box>
      {tables
        .filter((table) => !pages.some((page) => page.id === table.about))
        .map((table) => (
          <Numbers key={table.id} table={table} estimates={estimates} />
        ))}
    </>
  );
}

interface PictureProps {
  chart: AnyChart;
  series: Exhibit["series"];
  estimates: readonly Estimate[];
  highlight: string | undefined;
  asTable: boolean;
  onFind: ((chosen: Omit<ChosenThreshold, "chart">) => void) | undefined;
  caseId: number | undefined;
  groups: GroupHooks | undefined;
}

function Picture({ chart, series, estimates, highlight, asTable, onFind, caseId, groups }: PictureProps) {
  switch (chart.kind) {
    case "strip":
      return <IntervalStrip chart={chart} estimates={estimates} asTable={asTable} />;
    case "lines":
      return <LineFigure chart={chart} series={series} highlight={highlight} asTable={asTable} />;
    case "threshold":
      return <ThresholdExplorer key={chart.series} chart={chart} series={series} asTable={asTable} onFind={onFind} />;
    case "marks":
      return <MarksFigure chart={chart} series={series} asTable={asTable} />;
    case "matrix":
      return <Matrix {...chart} />;
    case "dial":
      return <DialExplorer key={chart.series} chart={chart} series={series} asTable={asTable} />;
    case "tree":
      return <TreeFigure chart={chart} series={series} asTable={asTable} />;
    case "combinations":
      return (
        <CombinationFigure
          chart={chart}
          estimates={estimates}
          asTable={asTable}
          chosen={groups?.chosen ?? ""}
          onChoose={groups?.onChoose ?? (() => undefined)}
          onFind={groups?.onFind}
        />
      );
    case "proxies":
      return caseId === undefined ? null : (
        <ProxyFigure chart={chart} estimates={estimates} asTable={asTable} caseId={caseId} />
      );
    case "suspects":
      return <Suspects chart={chart} series={series} />;
    default:
      return null;
  }
}

function Numbers({ table, estimates }: { table: Schemas["TableView"]; estimates: readonly Estimate[] }) {
  return (
    <SideScroll label={table.title}>
      <DataTable
        close
        wide
        caption={table.title}
        rows={table.rows}
        keyOf={(_, i) => i}
        columns={table.columns.map((head, j): TableColumn<Schemas["TableView"]["rows"][number]> => ({
          head: <Named text={head} />,
          right: j > 0,
          sx: { verticalAlign: "top" },
          cell: (row) => {
            const cell = row[j];
            return cell?.estimate != null ? (
              <Figure estimate={estimates[cell.estimate] as Estimate} />
            ) : (
              <RowName first={j === 0} text={cell?.text ?? ""} />
            );
          },
        }))}
      />
    </SideScroll>
  );
}

/** The words of a cell: a row's own name leads to its methods where it is that of a measure and nothing else. */
function RowName({ first, text }: { first: boolean; text: string }) {
  const isMeasure = first && namedIn(text).every((one) => one.measure);
  return isMeasure ? <Named text={text} /> : text;
}

function Figure({ estimate }: { estimate: Estimate }) {
  const notes = [`n ${count(estimate.n)}`, estimate.method?.replaceAll("_", " "), estimate.note]
    .filter(Boolean)
    .join(", ");
  return (
    <Box
      component="span"
      title={notes}
      sx={{
        display: "inline-flex",
        flexWrap: "wrap",
        justifyContent: "flex-end",
        alignItems: "center",
        columnGap: 0.75,
        color: estimate.few ? "brook.muted" : "inherit",
      }}
    >
      {estimate.standing && <GaugeMark standing={estimate.standing} />}
      <b style={{ fontWeight: 550 }}>{valueOf(estimate)}</b>
      <Box component="span" sx={{ fontSize: "size.note", whiteSpace: "nowrap" }}>
        {ends(estimate)}
      </Box>
      <Box component="span" sx={{ color: "brook.muted", fontSize: "size.note", whiteSpace: "nowrap" }}>
        {estimate.value === null ? estimate.note : `n ${count(estimate.n)}${estimate.few ? ", few" : ""}`}
      </Box>
    </Box>
  );
}
