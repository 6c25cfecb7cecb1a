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
  /** Draws a dot at each point, large enough to be hit. */
  marks?: boolean;
  /** Stands back behind the one that is looked at. */
  faint?: boolean;
}

/** A place on the horizontal axis that stands out, with its name. */
export interface CurveMark {
  x: number;
  label: string;
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
  marks?: readonly CurveMark[] | undefined;
  /** What the places 0, 1, 2 … of the horizontal axis are called. */
  ticks?: readonly string[] | undefined;
  /** Called with the place of the curve and of its point. */
  onPoint?: (curve: number, point: number) => void;
}

/** The ends of an axis that shows every value: 0 to 1 for shares (0 to the next tenth for small ones), else a little room about what is there. */
export function axisEnds(values: readonly number[], fixed?: number): [number, number] {
  const low = Math.min(0, ...values);
  const high = fixed ?? Math.max(...values);
  if (low >= 0 && high > 0 && high <= 0.5) return [0, fixed ?? Math.ceil(high * 10) / 10];
  if (low >= 0 && high <= 1.0001) return [0, fixed ?? 1];
  return rounded(low, high, fixed);
}

function rounded(low: number, high: number, fixed?: number): [number, number] {
  const step = 10 ** Math.floor(Math.log10(Math.max(high - low, 1e-9)) - 0.3);
  // A multiple of 0.1 is seldom one to the last bit, and the axis would write it out.
  const clean = (value: number) => Number(value.toPrecision(12));
  return [clean(Math.floor(low / step) * step), fixed ?? clean(Math.ceil(high / step) * step)];
}

/** The ends of an axis whose values lie close together, far from 0: about what is there; else those of any axis. */
export function axisAround(values: readonly number[], fixed?: number): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  if (fixed !== undefined || !(high > low) || high - low > 0.6 * Math.max(Math.abs(low), Math.abs(high)))
    return axisEnds(values, fixed);
  return rounded(low, high);
}

/** What the curves that stand out say at a place, a line each. */
function readOff(points: unknown, curves: readonly Curve[], ticks?: readonly string[]): string {
  const found = (Array.isArray(points) ? points : [points]) as { seriesIndex: number; data: unknown }[];
  const told = found.flatMap(({ seriesIndex, data }) =>
    curves[seriesIndex] && !curves[seriesIndex].faint && Array.isArray(data)
      ? [{ label: curves[seriesIndex].label, x: Number(data[0]), y: Number(data[1]) }]
      : [],
  );
  const [first] = told;
  return first
    ? [
        ticks?.[first.x] ?? String(Number(first.x.toPrecision(4))),
        ...told.map(({ label, y }) => `${label} ${y.toFixed(3)}`),
      ].join("\n")
    : "";
}

const cutTo = (words: string, most: number) => (words.length > most ? `${words.slice(0, most - 1)}…` : words);

export default function Curves({
  title,
  x,
  y,
  curves,
  diagonal,
  at,
  width,
  height,
  xMax,
  marks,
  ticks,
  onPoint,
}: CurvesProps) {
  const box = useRef<HTMLDivElement>(null);
  const chart = useRef<echarts.ECharts | null>(null);
  const { mode } = useColorScheme();
  const hit = useRef(onPoint);
  hit.current = onPoint;
  useEffect(() => {
    if (!box.current) return;
    chart.current = echarts.init(box.current, undefined, { renderer: "svg", width, height });
    chart.current.on("click", (event) => {
      if (event.seriesIndex !== undefined) hit.current?.(event.seriesIndex, event.dataIndex);
    });
    return () => chart.current?.dispose();
  }, [width, height]);
  useEffect(() => {
    const ink = box.current ? getComputedStyle(box.current).color : "#17282B";
    const across = [...curves.flatMap((c) => c.points.map((p) => p[0])), ...(marks ?? []).map((mark) => mark.x)];
    const xs: [number, number] = ticks ? [0, Math.max(1, ticks.length - 1)] : axisAround(across, xMax);
    const ys = axisAround(curves.flatMap((c) => c.points.map((p) => p[1])));
    const end = Math.min(xs[1], ys[1]);
    const start = Math.max(xs[0], ys[0]);
    const upright = [
      ...(marks ?? []).map((mark) => ({
        xAxis: mark.x,
        label: {
          show: mark.label !== "",
          formatter: mark.label,
          color: ink,
          fontSize: 10.5,
          position: "insideEndTop" as const,
        },
        lineStyle: { color: ink, type: "dashed" as const, width: 1 },
      })),
      ...(at === undefined
        ? []
        : [
            {
              xAxis: at,
              label: { show: false },
              lineStyle: { color: ink, type: marks?.length ? ("solid" as const) : ("dashed" as const), width: 1.4 },
            },
          ]),
    ];
    const named = ticks && {
      interval: Math.max(1, Math.ceil(ticks.length / (width / 52))),
      axisLabel: {
        color: ink,
        fontSize: 10.5,
        formatter: (value: number) => cutTo(ticks[value] ?? "", 12),
        hideOverlap: true,
      },
    };
    const axis = (name: string, [min, max]: [number, number], nameGap: number) => ({
      type: "value" as const,
      name,
      min,
      max,
      nameLocation: "middle" as const,
      nameGap,
      axisLine: { show: true, onZero: false },
      nameTextStyle: { color: ink, fontSize: 11 },
      axisLabel: { color: ink, fontSize: 11 },
      splitLine: { lineStyle: { opacity: 0.25 } },
    });
    chart.current?.setOption(
      {
        animation: false,
        aria: { enabled: true, label: { description: `${title}. ${curves.map((c) => c.label).join(", ")}` } },
        grid: { left: 52, right: 18, top: 12, bottom: 40, outerBoundsMode: "none" as const },
        tooltip: {
          trigger: "axis",
          valueFormatter: (v: unknown) => (typeof v === "number" ? v.toFixed(3) : "–"),
          // Single rows' curves would fill the screen; only what stands out is read.
          ...(curves.some((c) => c.faint)
            ? { renderMode: "richText" as const, formatter: (points: unknown) => readOff(points, curves, ticks) }
            : {}),
        },
        xAxis: { ...axis(x, xs, 26), ...named },
        yAxis: axis(y, ys, 33),
        series: [
          ...curves.map((curve, i) => ({
            type: "line" as const,
            name: curve.label,
            data: curve.points,
            showSymbol: curve.marks === true || curve.points.length === 1,
            symbol: "circle",
            symbolSize: 7,
            cursor: curve.marks ? "pointer" : "default",
            color: curve.colour,
            lineStyle: { width: curve.faint ? 1.2 : 2, opacity: curve.faint ? 0.45 : 1 },
            z: curve.faint ? 2 : 3,
            ...(i === 0 && upright.length ? { markLine: { silent: true, symbol: "none", data: upright } } : {}),
          })),
          ...(diagonal
            ? [
                {
                  type: "line" as const,
                  name: "equal",
                  data: [
                    [start, start],
                    [end, end],
                  ],
                  showSymbol: false,
                  color: "#999999",
                  lineStyle: { width: 1, type: "dashed" as const },
                },
              ]
            : []),
        ],
      },
      { notMerge: true },
    );
  }, [title, x, y, curves, diagonal, at, xMax, marks, ticks, mode, width, height]);
  return <Box ref={box} sx={{ width, height, color: "text.secondary" }} />;
}
