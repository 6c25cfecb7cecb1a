/** One column: its name, histogram, words, tie with the target, nearest protected attribute, role. */
import Box from "@mui/material/Box";
import type { MouseEvent } from "react";
import { Link } from "react-router";
import type { Roles, Schemas } from "../../api/client";
import { MINUS } from "../../wording";
import { groundOf, OF_A_CHOICE, roleOf, type Role } from "./roles";

const ROLES: readonly (readonly [Role, string, string])[] = [
  ["target", "target", "t"],
  ["feature", "feature", "f"],
  ["identifier", "identifier", "i"],
  ["ignore", "ignore", "x"],
  ["weight", "weight", "w"],
  ["group", "group", "g"],
  ["time", "time", "d"],
  ["part", "part", "s"],
  ["occasion", "occasion", "o"],
  ["alternative", "alternative", "a"],
  ["available", "available", "v"],
  ["observed", "observed", "b"],
  ["none", "no role", ""],
];

export const rolesOf = (choice: boolean) => ROLES.filter(([role]) => choice || !OF_A_CHOICE.includes(role));

/** From here on a column says much about a protected attribute. */
const CLOSE = 0.3;

interface ColumnLineProps {
  column: Schemas["ColumnView"];
  look: Schemas["ColumnLook"] | undefined;
  roles: Roles;
  choice: boolean;
  chosen: boolean;
  inFocus: boolean;
  editable: boolean;
  dragged: string[];
  onClick: (event: MouseEvent) => void;
  onRole: (role: Role) => void;
  grounds: readonly string[];
  onProtect: () => void;
  onGround: (ground: string) => void;
  onPositive: (level: string) => void;
}

export function ColumnLine({
  column,
  look,
  roles,
  choice,
  chosen,
  inFocus,
  editable,
  dragged,
  onClick,
  onRole,
  grounds,
  onProtect,
  onGround,
  onPositive,
}: ColumnLineProps) {
  const isProtected = roles.protected?.includes(column.name) ?? false;
  const ground = groundOf(roles, column);
  const isTarget = roles.target === column.name;
  const levels = column.kind !== "number" && column.bars.length === 2 ? column.bars.map((bar) => bar.label) : [];
  return (
    <Box
      data-column={column.name}
      tabIndex={0}
      draggable={editable && !isTarget}
      onDragStart={(event) => event.dataTransfer.setData("text/plain", JSON.stringify(dragged))}
      onClick={onClick}
      onFocus={(event) => event.target === event.currentTarget && !inFocus && onClick(event as unknown as MouseEvent)}
      aria-current={inFocus || undefined}
      role="group"
      aria-label={chosen ? `${column.name}, chosen` : column.name}
      sx={{
        display: "grid",
        gridTemplateColumns: "minmax(120px, 190px) 110px minmax(150px, 1fr) 128px 100px 108px",
        alignItems: "center",
        gap: 1.5,
        minHeight: 40,
        borderBottom: 1,
        borderColor: "divider",
        px: 0.75,
        mx: -0.75,
        bgcolor: chosen ? "brook.pale" : "transparent",
        userSelect: "none",
      }}
    >
      <Box
        sx={{ fontWeight: 550, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
        title={column.description || column.name}
      >
        <Link
          to={`?column=${encodeURIComponent(column.name)}`}
          style={{ textDecorationColor: "var(--mui-palette-divider)" }}
        >
          {column.name}
        </Link>
      </Box>
      <Histogram column={column} />
      <Box sx={{ lineHeight: 1.3 }}>
        <Box>{column.words}</Box>
        {look?.nearest && look.nearest.value !== null && (
          <Box
            sx={{
              fontSize: "size.small",
              color: Math.abs(look.nearest.value) >= CLOSE && !isProtected ? "brook.ochre" : "text.secondary",
            }}
          >
            closest to {look.nearest.to}, {look.nearest.measure} {signed(look.nearest.value)}
          </Box>
        )}
      </Box>
      {isTarget ? (
        levels.length === 2 ? (
          <Box component="label" sx={{ fontSize: "size.small" }}>
            positive{" "}
            <select
              aria-label="Positive value"
              value={roles.positive ?? ""}
              disabled={!editable}
              onChange={(event) => onPositive(event.target.value)}
              style={{ font: "inherit", minHeight: 24 }}
            >
              {!roles.positive && <option value="">not chosen</option>}
              {levels.map((level) => (
                <option key={level}>{level}</option>
              ))}
            </select>
          </Box>
        ) : (
          <Box />
        )
      ) : (
        <TieBar tie={look?.target ?? null} />
      )}
      <select
        aria-label={`Role of ${column.name}`}
        value={roleOf(roles, column.name)}
        disabled={!editable}
        onChange={(event) => onRole(event.target.value as Role)}
        style={{ font: "inherit", minHeight: 24 }}
      >
        {rolesOf(choice).map(([role, words]) => (
          <option key={role} value={role}>
            {words}
          </option>
        ))}
      </select>
      <Box sx={{ lineHeight: 1.3, py: 0.5 }}>
        <label style={{ whiteSpace: "nowrap" }}>
          <input type="checkbox" checked={isProtected} disabled={!editable || isTarget} onChange={onProtect} />{" "}
          protected
        </label>
        {isProtected && (
          <select
            aria-label={`Ground of ${column.name}`}
            value={grounds.includes(ground) ? ground : ""}
            disabled={!editable}
            onChange={(event) => onGround(event.target.value)}
            style={{ font: "inherit", minHeight: 24, width: "100%" }}
          >
            <option value="">no ground</option>
            {grounds.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        )}
      </Box>
    </Box>
  );
}

function TieBar({ tie }: { tie: Schemas["Tie"] | null }) {
  if (!tie) return <Box />;
  if (tie.value === null)
    return (
      <Box sx={{ fontSize: "size.note", color: "text.secondary" }} title={tie.note ?? ""}>
        no tie: {tie.note}
      </Box>
    );
  const words = `${tie.measure} ${signed(tie.value)}${tie.low !== null && tie.high !== null ? ` [${signed(tie.low)}, ${signed(tie.high)}]` : ""} with ${tie.to}, n ${tie.n}`;
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, fontSize: "size.small" }} title={words}>
      <svg width={66} height={12} role="img" aria-label={words}>
        <rect x={0} y={5} width={66} height={2} fill="var(--mui-palette-divider)" />
        <rect
          x={0}
          y={1}
          width={Math.max(1, 66 * Math.abs(tie.value))}
          height={10}
          fill="var(--mui-palette-primary-main)"
        />
      </svg>
      <span style={{ whiteSpace: "nowrap" }}>
        {tie.measure} {signed(tie.value)}
      </span>
    </Box>
  );
}

function signed(value: number): string {
  return value.toFixed(2).replace("-", MINUS);
}

function Histogram({ column }: { column: Schemas["ColumnView"] }) {
  const bars = column.bars;
  const most = Math.max(...bars.map((bar) => bar.count), 1);
  const width = 104 / Math.max(bars.length, 1);
  return (
    <svg
      width={104}
      height={26}
      role="img"
      aria-label={`${column.kind === "number" ? "Histogram" : "Most frequent"}: ${bars.map((b) => `${b.label} ${b.count}`).join(", ")}`}
    >
      {bars.map((bar, i) => (
        <rect
          key={bar.label}
          x={i * width}
          width={Math.max(width - 1, 1)}
          y={26 - (24 * bar.count) / most}
          height={(24 * bar.count) / most}
          fill="var(--mui-palette-primary-main)"
          opacity={0.7}
        >
          <title>{`${bar.label}: ${bar.count}`}</title>
        </rect>
      ))}
      <path d="M0 25.5H104" stroke="var(--mui-palette-text-secondary)" />
    </svg>
  );
}
