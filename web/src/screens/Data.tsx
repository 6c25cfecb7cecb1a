/** The columns under headings by role; a column is sent to another heading by key or menu, with undo. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState } from "react";
import type { Roles, Schemas } from "../api/client";
import { useData, useSaveRoles } from "../api/queries";
import { useTheCase } from "../frame/CaseFrame";
import { useKeys } from "../frame/keys";
import { Fetching, Said } from "../parts/Said";
import { useUndo } from "../parts/undo";
import { SERIF } from "../theme";
import { plural } from "../wording";
import { moved, roleOf, toggledProtected, type Role } from "./roles";

const ROLES: readonly (readonly [Role, string, string])[] = [
  ["target", "target", "t"],
  ["feature", "feature", "f"],
  ["identifier", "identifier", "i"],
  ["ignore", "ignore", "x"],
  ["weight", "weight", "w"],
  ["group", "group", "g"],
  ["time", "time", "d"],
  ["part", "part", "s"],
  ["none", "no role", ""],
];

type Column = Schemas["ColumnView"];

export function Data() {
  const { theCase } = useTheCase();
  const data = useData(theCase.id);
  const save = useSaveRoles(theCase.id);
  const [focus, setFocus] = useState<string | null>(null);
  const list = useRef<HTMLDivElement>(null);
  const { change, undo, canUndo } = useUndo<Roles>((roles) => data.data && save.mutate({ revision: data.data.revision, roles }));
  const shown = data.data;
  const editable = theCase.may.review && !shown?.locked && !save.isPending;
  const headings = shown ? arranged(shown) : [];
  const order = headings.flatMap((h) => h.columns.map((c) => c.name));
  const step = (by: number) => setFocus(order[Math.min(Math.max(order.indexOf(focus ?? "") + by, 0), order.length - 1)] ?? null);
  const send = (role: Role) => {
    if (editable && shown && focus) change(shown.roles, moved(shown.roles, focus, role, shown.columns.map((c) => c.name)));
  };
  const protect = () => {
    if (editable && shown && focus) change(shown.roles, toggledProtected(shown.roles, focus));
  };
  useKeys([
    { keys: "ArrowDown", does: "next column", act: () => step(1) },
    { keys: "ArrowUp", does: "previous column", act: () => step(-1) },
    ...ROLES.filter(([, , key]) => key).map(([role, words, key]) => ({ keys: key, does: `make the column in focus ${words}`, act: () => send(role) })),
    { keys: "p", does: "protected on or off", act: protect },
    { keys: "u", does: "undo the last change of role", act: () => editable && undo() },
  ]);
  useEffect(() => {
    if (focus) list.current?.querySelector(`[data-column="${CSS.escape(focus)}"]`)?.scrollIntoView({ block: "nearest" });
  }, [focus]);
  if (data.isPending) return <Fetching what="the data" />;
  if (!shown) return <Box sx={{ p: 3 }}><Said error={data.error} /></Box>;
  return (
    <Box sx={{ p: 3 }} ref={list}>
      <Typography sx={{ fontFamily: SERIF, fontSize: 20, lineHeight: 1.34, mb: 0.5 }}>
        {shown.problem ?? `${plural(shown.n_rows, "row")} of ${shown.columns.length} columns; ${wrong(shown)}`}
      </Typography>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", minHeight: 32 }}>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {shown.file}, fingerprint {shown.fingerprint.slice(0, 16)}. {shown.locked ? "The plan is locked, so roles are fixed." : theCase.may.review ? "Choose a column and press a key, or use its menu; ? lists the keys." : "The reviewer of the case sets the roles."}
        </Typography>
        {theCase.may.review && !shown.locked && <Button sx={{ ml: "auto" }} disabled={!canUndo || save.isPending} onClick={undo}>Undo</Button>}
      </Box>
      <Said error={save.error} />
      {headings.map((heading) => (
        <Box key={heading.title} component="section" aria-label={heading.title}>
          <Typography variant="h3" sx={{ mt: 1.5, pb: 0.5, borderBottom: 1, borderColor: "text.primary" }}>
            {heading.title} <Box component="span" sx={{ fontSize: 12, fontFamily: "inherit", color: "text.secondary", fontWeight: 400 }}>{heading.note}</Box>
          </Typography>
          {heading.columns.length === 0 && <Typography variant="body2" sx={{ color: "text.secondary", py: 0.75 }}>{heading.empty}</Typography>}
          {heading.columns.map((column) => (
            <Line key={column.name} column={column} roles={shown.roles} chosen={column.name === focus} editable={editable} onFocus={() => setFocus(column.name)}
              onRole={(role) => change(shown.roles, moved(shown.roles, column.name, role, shown.columns.map((c) => c.name)))}
              onProtect={() => change(shown.roles, toggledProtected(shown.roles, column.name))} />
          ))}
        </Box>
      ))}
    </Box>
  );
}

interface LineProps {
  column: Column;
  roles: Roles;
  chosen: boolean;
  editable: boolean;
  onFocus: () => void;
  onRole: (role: Role) => void;
  onProtect: () => void;
}

function Line({ column, roles, chosen, editable, onFocus, onRole, onProtect }: LineProps) {
  const isProtected = roles.protected?.includes(column.name) ?? false;
  return (
    <Box
      data-column={column.name}
      tabIndex={0}
      onFocus={onFocus}
      onClick={onFocus}
      aria-current={chosen || undefined}
      sx={{ display: "grid", gridTemplateColumns: "190px 130px 1fr 118px 112px", alignItems: "center", gap: 1.5, minHeight: 34, borderBottom: 1, borderColor: "divider", px: 0.75, mx: -0.75, bgcolor: chosen ? "brook.pale" : "transparent" }}
    >
      <Box sx={{ fontWeight: 550, overflow: "hidden", textOverflow: "ellipsis" }}>{column.name}</Box>
      <Histogram column={column} />
      <Box sx={{ color: "text.secondary" }}>
        {column.words}
      </Box>
      <select aria-label={`Role of ${column.name}`} value={roleOf(roles, column.name)} disabled={!editable} onChange={(event) => onRole(event.target.value as Role)} style={{ font: "inherit", minHeight: 24 }}>
        {ROLES.map(([role, words]) => <option key={role} value={role}>{words}</option>)}
      </select>
      <label style={{ whiteSpace: "nowrap" }}>
        <input type="checkbox" checked={isProtected} disabled={!editable} onChange={onProtect} /> protected
      </label>
    </Box>
  );
}

interface BarOf {
  label: string;
  count: number;
}

function Histogram({ column }: { column: Column }) {
  const bars = column.bars as unknown as BarOf[];
  const most = Math.max(...bars.map((bar) => bar.count), 1);
  const width = 124 / Math.max(bars.length, 1);
  return (
    <svg width={124} height={26} role="img" aria-label={`${column.kind === "number" ? "Histogram" : "Most frequent"}: ${bars.map((b) => `${b.label} ${b.count}`).join(", ")}`}>
      {bars.map((bar, i) => (
        <rect key={bar.label} x={i * width} width={Math.max(width - 1, 1)} y={26 - (24 * bar.count) / most} height={(24 * bar.count) / most} fill="var(--mui-palette-primary-main)" opacity={0.7}>
          <title>{`${bar.label}: ${bar.count}`}</title>
        </rect>
      ))}
      <path d="M0 25.5H124" stroke="var(--mui-palette-text-secondary)" />
    </svg>
  );
}

function wrong(data: Schemas["DataView"]): string {
  const gaps = data.columns.filter((c) => c.missing > 0);
  const constant = data.columns.filter((c) => c.distinct < 2);
  const said = [];
  if (gaps.length) said.push(`${gaps.map((c) => `${c.name} (${plural(c.missing, "row")})`).join(" and ")} ${gaps.length === 1 ? "has" : "have"} gaps`);
  if (constant.length) said.push(`${constant.map((c) => c.name).join(", ")} never ${constant.length === 1 ? "varies" : "vary"}`);
  return `${said.join("; ") || "no column has a gap"}.`;
}

function arranged(data: Schemas["DataView"]) {
  const of = (test: (name: string) => boolean) => data.columns.filter((c) => test(c.name));
  const role = (name: string) => roleOf(data.roles, name);
  const guarded = (name: string) => data.roles.protected?.includes(name) ?? false;
  return [
    { title: "The target", note: data.roles.positive ? `positive: ${data.roles.positive}` : "", columns: of((n) => role(n) === "target"), empty: "No target yet." },
    { title: "What is protected", note: "audited by group; learned from only where the role is feature", columns: of((n) => guarded(n) && role(n) !== "target"), empty: "Nothing is marked: without it no group can be audited. Press p on a column." },
    { title: "Features", note: "", columns: of((n) => role(n) === "feature" && !guarded(n)), empty: "No column is left to learn from." },
    { title: "The rest", note: "", columns: of((n) => !["target", "feature"].includes(role(n)) && !guarded(n)), empty: "Every column has a part to play." },
  ];
}
