/** A fitted tree to look into: fold, zoom, limit the depth, follow one row, read it leaf by leaf; whole and pruned. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useMemo, useState, type ReactNode } from "react";
import { useParams, useSearchParams } from "react-router";
import type { Exhibit } from "../../api/client";
import { useTreePath } from "../../api/queries";
import { InlineChoice, InlineNumber } from "../../parts/Inline";
import { Said } from "../../parts/Said";
import { count, plural } from "../../wording";
import { ChartFigure, type ChartNumbers } from "../ChartFigure";
import { fileName, save } from "../export";
import { colourOf } from "../palette";
import {
  at,
  firstDepth,
  leavesOf,
  openedAlong,
  outlineOf,
  placesOf,
  sentencesOf,
  conditionsTo,
  type Columns,
  type Look,
  type Tree,
} from "./outline";
import { Competing } from "./Competing";
import { DrawnTree } from "./DrawnTree";
import { Outline } from "./Outline";
import { Overview } from "./Overview";

interface TreeFigureProps {
  chart: Tree;
  series: Exhibit["series"];
  asTable: boolean;
  /** The strength of pruning that a handle beside it is at. */
  handle?: number | undefined;
}

const KEYS = [
  { label: "training rows", colour: colourOf("training") },
  { label: "unseen rows", colour: colourOf("out_of_fold") },
];

type Show = "whole" | "beside" | "pruned";

export function TreeFigure({ chart, series, asTable, handle }: TreeFigureProps) {
  const [tree, setTree] = useState(1);
  const columns: Columns = useMemo(() => series?.[chart.trees[tree - 1] ?? ""] ?? {}, [series, chart, tree]);
  const cut = handle ?? null;
  const prunes = cut !== null && cut > 0;
  const [show, setShow] = useState<Show>("beside");
  const [root, setRoot] = useState(0);
  const [depth, setDepth] = useState<number | null>(null);
  const [toggled, setToggled] = useState<ReadonlySet<number>>(new Set());
  const { caseId } = useParams();
  const [address] = useSearchParams();
  const exhibit = Number(address.get("exhibit"));
  const [followed, setFollowed] = useState<number | null>(null);
  const [looked, setLooked] = useState(0);
  const found = useTreePath(Number(caseId), exhibit, tree, followed);
  const path = useMemo(() => new Set(followed === null ? [] : (found.data?.nodes ?? [])), [found.data, followed]);
  const { depths, parents } = useMemo(() => placesOf(columns), [columns]);
  const deepest = Math.max(0, ...depths);
  const limit = depth ?? firstDepth(columns);
  // What a row passes is opened when it is first followed, and may be folded like any other.
  useEffect(() => {
    setToggled((all) => openedAlong(path, all, (node) => (depths[node] ?? 0) - (depths[root] ?? 0) < limit));
  }, [path, depths, root, limit]);
  const look: Look = {
    root,
    depth: limit,
    toggled,
    cut: show === "whole" || !prunes ? null : cut,
    hideCut: show === "pruned",
  };
  const rows = outlineOf(chart, columns, look);
  const toggle = (node: number) => {
    const all = new Set(toggled);
    if (all.has(node)) all.delete(node);
    else all.add(node);
    setToggled(all);
  };
  const zoom = (node: number) => {
    setRoot(node);
    setToggled(new Set());
  };
  const change = (number: number) => {
    setTree(number);
    zoom(0);
    setFollowed(null);
  };
  const leaves = leavesOf(columns, look.cut).length;
  return (
    <ChartFigure
      title={chart.title}
      asTable={asTable}
      keys={KEYS}
      numbers={numbersOf(chart, columns, parents, depths)}
      caption={<Caption title={chart.title} />}
    >
      <Box sx={{ fontSize: "size.text", lineHeight: 1.9, mb: 0.5 }}>
        {chart.trees.length > 1 && (
          <>
            Tree{" "}
            <InlineNumber
              name="Tree"
              value={tree}
              min={1}
              max={chart.trees.length}
              disabled={false}
              onSet={(n) => change(Math.round(n))}
            />{" "}
            of {count(chart.one_of ?? chart.trees.length)},{" "}
          </>
        )}
        {plural(leaves, "leaf", "leaves")}, {plural(deepest, "split")} deep. Show it down to depth{" "}
        <InlineNumber
          name="Depth shown"
          value={limit}
          min={1}
          max={Math.max(1, deepest)}
          disabled={false}
          onSet={(n) => {
            setDepth(Math.round(n));
            setToggled(new Set());
          }}
        />
        {prunes && (
          <>
            ,{" "}
            <InlineChoice
              name="Pruning"
              value={show}
              disabled={false}
              onSet={setShow}
              options={[
                ["beside", "what pruning takes away faint"],
                ["pruned", "as pruned"],
                ["whole", "as grown"],
              ]}
            />
          </>
        )}
        , following row <RowFollowed key={tree} row={followed} onFollow={setFollowed} />.
        {root !== 0 && <Button onClick={() => zoom(0)}>Back to the whole tree</Button>}
      </Box>
      <Said error={followed === null ? null : found.error} />
      {followed !== null && found.data && (
        <Followed chart={chart} columns={columns} nodes={found.data.nodes} row={followed} values={found.data.row} />
      )}
      <Overview
        chart={chart}
        columns={columns}
        root={root}
        path={path}
        onZoom={(node) => zoom(childless(columns, node) ? (parents[node] ?? 0) : node)}
      />
      <DrawnTree chart={chart} columns={columns} cut={look.cut} />
      <Box sx={{ maxHeight: 560, overflow: "auto", mt: 0.5 }}>
        <Outline
          chart={chart}
          columns={columns}
          rows={rows}
          path={path}
          onToggle={toggle}
          onZoom={zoom}
          onOut={() => zoom(parents[root] ?? 0)}
          onLook={setLooked}
        />
      </Box>
      {tree === 1 && (
        <Competing
          chart={chart}
          columns={columns}
          series={series}
          node={looked}
          where={looked === 0 ? "all rows" : conditionsTo(chart, columns, looked, parents).join(" and ")}
        />
      )}
      <Below
        chart={chart}
        columns={columns}
        cut={look.cut}
        drawing={`/api/cases/${caseId}/exhibits/${exhibit}/trees/${tree}`}
      />
    </ChartFigure>
  );
}

const childless = (columns: Columns, node: number) => (at(columns, "left", node) ?? -1) < 0;

function Caption({ title }: { title: string }) {
  return (
    <Box component="figcaption" sx={{ fontSize: "size.small", color: "text.secondary" }}>
      {title}.{" "}
      {KEYS.map((key) => (
        <Box key={key.label} component="span" sx={{ mr: 1.5, whiteSpace: "nowrap" }}>
          <Box
            component="span"
            sx={{
              display: "inline-block",
              width: 8,
              height: 8,
              borderRadius: "50%",
              bgcolor: key.colour,
              border: 1,
              borderColor: "text.primary",
              mr: 0.5,
            }}
          />
          {key.label}
        </Box>
      ))}
      In the band every node is as wide as its training rows; the redder, the further unseen rows lie from them. Below,
      arrows move and fold, Enter zooms in, Backspace out.
    </Box>
  );
}

function RowFollowed({ row, onFollow }: { row: number | null; onFollow: (row: number | null) => void }) {
  const [text, setText] = useState(row === null ? "" : String(row));
  const settle = () => onFollow(/^\d+$/.test(text.trim()) && Number(text) > 0 ? Number(text) : null);
  return (
    <Box
      component="input"
      aria-label="Row to follow"
      inputMode="numeric"
      placeholder="none"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={settle}
      onKeyDown={(event) => event.key === "Enter" && settle()}
      sx={{
        font: "inherit",
        fontWeight: 560,
        width: 64,
        minHeight: 24,
        textAlign: "center",
        border: 0,
        borderBottom: "1.5px solid",
        borderColor: "primary.main",
        color: "primary.main",
        bgcolor: "transparent",
        "&::placeholder": { color: "text.secondary", opacity: 1, fontWeight: 400 },
      }}
    />
  );
}

function Followed({
  chart,
  columns,
  nodes,
  row,
  values,
}: {
  chart: Tree;
  columns: Columns;
  nodes: number[];
  row: number;
  values: Record<string, string | null>;
}) {
  const used = [
    ...new Set(
      nodes.flatMap((node) =>
        childless(columns, node) ? [] : [chart.columns[at(columns, "column", node) ?? 0]?.feature ?? ""],
      ),
    ),
  ];
  const last = nodes.at(-1) ?? 0;
  return (
    <Box aria-live="polite" sx={{ fontSize: "size.text", mb: 0.5 }}>
      Row {count(row)} passes {plural(nodes.length - 1, "split")}:{" "}
      {used.map((name) => `${name} is ${values[name] ?? "a gap"}`).join(", ")}. Its leaf holds{" "}
      {plural(at(columns, "training", last) ?? 0, "training row")} and{" "}
      {plural(at(columns, "unseen", last) ?? 0, "unseen row")}.
    </Box>
  );
}

function Below({
  chart,
  columns,
  cut,
  drawing,
}: {
  chart: Tree;
  columns: Columns;
  cut: number | null;
  drawing: string;
}): ReactNode {
  const [inWords, setInWords] = useState(false);
  const sentences = useMemo(() => (inWords ? sentencesOf(chart, columns, cut) : []), [inWords, chart, columns, cut]);
  return (
    <>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", fontSize: "size.cell", mt: 0.5, flexWrap: "wrap" }}>
        <Button aria-expanded={inWords} onClick={() => setInWords(!inWords)}>
          {inWords ? "Hide the words" : "Leaf by leaf in words"}
        </Button>
        {inWords && (
          <Button
            onClick={() =>
              save(
                new Blob([`${sentences.join("\n")}\n`], { type: "text/plain" }),
                fileName(`${chart.title} in words`, "txt"),
              )
            }
          >
            Save the words
          </Button>
        )}
        <span>
          The complete tree: <a href={`${drawing}/svg`}>SVG</a>, <a href={`${drawing}/pdf`}>PDF</a>
        </span>
      </Box>
      {inWords && (
        <Box
          component="ol"
          tabIndex={0}
          aria-label="Leaf by leaf"
          sx={{
            fontSize: "size.cell",
            maxHeight: 300,
            overflow: "auto",
            border: 1,
            borderColor: "divider",
            m: 0,
            py: 0.5,
            pl: 4.5,
          }}
        >
          {sentences.map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </Box>
      )}
    </>
  );
}

/** A row a node, what leads to it first. */
function numbersOf(chart: Tree, columns: Columns, parents: (number | null)[], depths: number[]): ChartNumbers {
  const names = [
    "training",
    "share",
    "low",
    "high",
    "unseen",
    "unseen_share",
    "unseen_low",
    "unseen_high",
    "gain",
    "unseen_gain",
  ];
  const rows = (columns.left ?? []).map((_, node) => [
    conditionsTo(chart, columns, node, parents).join(" and ") || "all rows",
    depths[node] ?? 0,
    ...names.map((name) => at(columns, name, node)),
  ]);
  return { columns: ["rows that", "depth", ...names.map((name) => name.replace("_", " "))], rows };
}
