/** Lines on two axes, drawn by ECharts as SVG. */
import Box from "@mui/material/Box";
import { useColorScheme } from "@mui/material/styles";
import { LineChart } from "echarts/charts";
import { AriaComponent, GridComponent, MarkLineComponent, TooltipComponent } from "echarts/components";
import * as echarts from "echarts/core";
import { SVGRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";

echarts.use([LineChart, GridComponent, TooltipComponent, MarkLineComponent, AriaComponent, SVGRenderer]);

export interface Curve {
  label: string;
  colour: string;
  points: [number, number][];
}

interface CurvesProps {
  title: string;
  x: string;
  y: string;
  curves: Curve[];
  diagonal?: boolean;
  at?: number;
  width: number;
  height: number;
  xMax?: number;
}

export default function Curves({ title, x, y, curves, diagonal, at, width, height, xMax }: CurvesProps) {
  const box = useRef<HTMLDivElement>(null);
  const chart = useRef<echarts.ECharts | null>(null);
  const { mode } = useColorScheme();
  useEffect(() => {
    if (!box.current) return;
    chart.current = echarts.init(box.current, undefined, { renderer: "svg", width, height });
    return () => chart.current?.dispose();
  }, [width, height]);
  useEffect(() => {
    const ink = box.current ? getComputedStyle(box.current).color : "#17282B";
    const axis = (name: string, max: number) => ({
      type: "value" as const, name, min: 0, max, nameLocation: "middle" as const, nameGap: 26,
      nameTextStyle: { color: ink, fontSize: 11 }, axisLabel: { color: ink, fontSize: 11 }, splitLine: { lineStyle: { opacity: 0.25 } },
    });
    chart.current?.setOption(
      {
        animation: false,
        aria: { enabled: true, label: { description: `${title}. ${curves.map((c) => c.label).join(", ")}` } },
        grid: { left: 44, right: 14, top: 12, bottom: 40, outerBoundsMode: "none" as const },
        tooltip: { trigger: "axis", valueFormatter: (v: unknown) => (typeof v === "number" ? v.toFixed(3) : "–") },
        xAxis: axis(x, xMax ?? 1),
        yAxis: axis(y, 1),
        series: [
          ...curves.map((curve, i) => ({
            type: "line" as const, name: curve.label, data: curve.points, showSymbol: false, color: curve.colour,
            lineStyle: { width: 2 },
            ...(i === 0 && at !== undefined
              ? { markLine: { silent: true, symbol: "none", label: { show: false }, lineStyle: { color: ink, type: "dashed" as const }, data: [{ xAxis: at }] } }
              : {}),
          })),
          ...(diagonal ? [{ type: "line" as const, name: "chance", data: [[0, 0], [1, 1]], showSymbol: false, color: "#999999", lineStyle: { width: 1, type: "dashed" as const } }] : []),
        ],
      },
      { notMerge: true },
    );
  }, [title, x, y, curves, diagonal, at, xMax, mode, width, height]);
  return <Box ref={box} sx={{ width, height, color: "text.secondary" }} />;
}
