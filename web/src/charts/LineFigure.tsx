/** A line chart of an exhibit, its series labelled directly beside it. */
import Box from "@mui/material/Box";
import { lazy, Suspense, useMemo } from "react";
import type { Exhibit, Schemas } from "../api/client";
import { CurveKey } from "./CurveKey";
import { colourOf } from "./palette";

const Curves = lazy(() => import("./Curves"));

export function LineFigure({ chart, series }: { chart: Schemas["LineChart"]; series: Exhibit["series"] }) {
  const curves = useMemo(
    () =>
      chart.lines.map((line) => {
        const columns = series?.[line.series] ?? {};
        const y = columns.y ?? [];
        return { label: line.label, colour: colourOf(line.colour), points: (columns.x ?? []).map((x, i): [number, number] => [x ?? 0, y[i] ?? 0]) };
      }),
    [chart, series],
  );
  return (
    <Box component="figure" sx={{ m: 0, mb: 2 }}>
      <CurveKey title={chart.title} curves={curves} />
      <Suspense fallback={<Box sx={{ height: 290 }} />}>
        <Curves title={chart.title} x={chart.x} y={chart.y} curves={curves} diagonal={chart.diagonal} width={348} height={290} />
      </Suspense>
    </Box>
  );
}
