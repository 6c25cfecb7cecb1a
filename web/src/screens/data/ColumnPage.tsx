/** A column's page: its distribution and its gaps, over all rows and over the groups of another column. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import type { Change, Roles, Schemas, Where } from "../../api/client";
import { useColumn } from "../../api/queries";
import { DataTable, type TableColumn } from "../../parts/DataTable";
import { InlineChoice } from "../../parts/Inline";
import { Fetching, Said } from "../../parts/Said";
import { SERIF } from "../../theme";
import { count, number, percent, plural } from "../../wording";
import { AskOwner } from "../questions/AskOwner";
import { SpokenForms } from "./SpokenForms";

interface ColumnPageProps {
  caseId: number;
  revision: number;
  name: string;
  look: Schemas["ColumnLook"] | undefined;
  roles: Roles;
  editable: boolean;
  mayAsk: boolean;
  onRows: (where: Where) => void;
  onRoles: (roles: Roles) => void;
  onWeigh: (change: Change) => void;
}

const QUANTILES = ["least", "first quartile", "median", "third quartile", "most"];

export function ColumnPage({
  caseId,
  revision,
  name,
  look,
  roles,
  editable,
  mayAsk,
  onRows,
  onRoles,
  onWeigh,
}: ColumnPageProps) {
  const [address, setAddress] = useSearchParams();
  const by = address.get("by");
  const page = useColumn(caseId, revision, name, by);
  if (page.isPending) return <Fetching what={name} />;
  if (!page.data) return <Said error={page.error} />;
  const shown = page.data;
  const all = shown.groups[0];
  const splits = [...shown.splits, ...(by && !shown.splits.includes(by) ? [by] : [])];
  return (
    <Box>
      <Typography sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34 }}>
        {name}: {shown.words}.
      </Typography>
      {look?.target && (
        <Typography sx={{ mt: 0.5 }}>
          {tied(look.target)}
          {look.nearest ? ` ${tied(look.nearest)}` : ""}
        </Typography>
      )}
      {shown.description && <Typography sx={{ color: "text.secondary" }}>{shown.description}</Typography>}
      <Box sx={{ display: "flex", gap: 3, alignItems: "center", my: 1 }}>
        <Typography>
          Shown over all rows and by{" "}
          <InlineChoice
            name="Group by"
            value={by ?? ""}
            disabled={false}
            options={[["", "nothing"], ...splits.map((one) => [one, one] as const)]}
            onSet={(value) => setAddress(value ? { column: name, by: value } : { column: name })}
          />
        </Typography>
        {all && all.missing > 0 && (
          <Button onClick={() => onRows({ kind: "gaps", columns: [name] })}>
            See {plural(all.missing, "row")} with a gap
          </Button>
        )}
        {mayAsk && <AskOwner caseId={caseId} about={{ kind: "column", key: name }} words={`${name}: ${shown.words}`} />}
        {all && all.missing > 0 && editable && (
          <>
            <Button variant="outlined" onClick={() => onWeigh({ kind: "drop_gaps", columns: [name] })}>
              Leave them out
            </Button>
            <Button
              variant="outlined"
              disabled={name === roles.target}
              onClick={() => onWeigh({ kind: "fill_gaps", column: name, by: shown.fill_by })}
            >
              Fill them in
            </Button>
          </>
        )}
      </Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2.5 }}>
        {shown.groups.map((group) => (
          <Distribution key={group.label} page={shown} group={group} onRows={onRows} />
        ))}
      </Box>
      {shown.quantiles.length === 5 && (
        <DataTable
          close
          label="Quantiles"
          rows={[shown.quantiles]}
          keyOf={() => "quantiles"}
          columns={QUANTILES.map((label, i): TableColumn<readonly number[]> => ({
            head: label,
            cell: (quantiles) =>
              (quantiles[i] ?? 0).toLocaleString("en", { maximumSignificantDigits: 6 }).replaceAll(",", "\u202f"),
          }))}
          sx={{ mt: 2 }}
        />
      )}
      <DataTable
        close
        caption="What is missing, with 95 % intervals (Wilson 1927)"
        rows={shown.groups}
        keyOf={(group) => group.label}
        columns={[
          { head: "rows", cell: (group) => group.label },
          { head: "n", right: true, cell: (group) => count(group.n) },
          { head: "missing", right: true, cell: (group) => count(group.missing) },
          { head: "share", cell: missingShare },
        ]}
        sx={{ mt: 2, minWidth: 420 }}
      />
      {shown.levels.length > 0 && (
        <SpokenForms column={name} levels={shown.levels} roles={roles} editable={editable} onRoles={onRoles} />
      )}
    </Box>
  );
}

function missingShare(group: Schemas["GroupOfColumn"]): string {
  const ends =
    group.missing_low !== null && group.missing_high !== null
      ? ` [${share(group.missing_low)}, ${share(group.missing_high)}]`
      : "";
  return (group.n ? share(group.missing / group.n) : "–") + ends;
}

/** The tie in a sentence, with its interval and n, or why it has none. */
function tied(tie: Schemas["Tie"]): string {
  if (tie.value === null) return `With ${tie.to} no tie can be computed: ${tie.note}.`;
  const ends =
    tie.low !== null && tie.high !== null
      ? ` [${number(tie.low, 2)}, ${number(tie.high, 2)}]`
      : ` (no interval: ${tie.note})`;
  return `With ${tie.to}: ${tie.measure} ${number(tie.value, 2)}${ends}, n ${count(tie.n)}.`;
}

const share = percent;

const WIDTH = 270;
const HEIGHT = 120;

/** Shares of the group's own rows, so that groups of different size can be compared. */
function Distribution({
  page,
  group,
  onRows,
}: {
  page: Schemas["ColumnPage"];
  group: Schemas["GroupOfColumn"];
  onRows: (where: Where) => void;
}) {
  const present = Math.max(1, group.n - group.missing);
  const most = Math.max(...page.groups.flatMap((g) => g.counts.map((c) => c / Math.max(1, g.n - g.missing))), 1e-9);
  const width = WIDTH / Math.max(1, group.counts.length);
  const levels = page.kind !== "number";
  return (
    <figure style={{ margin: 0, width: WIDTH }}>
      <figcaption style={{ fontWeight: 550 }}>
        {group.label}{" "}
        <span style={{ fontWeight: 400, color: "var(--mui-palette-text-secondary)" }}>n {count(group.n)}</span>
      </figcaption>
      <svg
        width={WIDTH}
        height={HEIGHT + 16}
        role="img"
        aria-label={`${page.name}, ${group.label}: ${page.labels.map((label, i) => `${label} ${group.counts[i] ?? 0}`).join(", ")}`}
      >
        {group.counts.map((n, i) => {
          const tall = (HEIGHT * n) / present / most;
          return (
            <rect
              key={i}
              x={i * width}
              width={Math.max(1, width - 1)}
              y={HEIGHT - tall}
              height={tall}
              fill="var(--mui-palette-primary-main)"
              opacity={0.75}
              style={{ cursor: levels ? "pointer" : "default" }}
              onClick={() => levels && onRows({ kind: "says", column: page.name, words: [page.labels[i] ?? ""] })}
            >
              <title>{`${page.labels[i]}: ${n} rows, ${share(n / present)}`}</title>
            </rect>
          );
        })}
        <path d={`M0 ${HEIGHT + 0.5}H${WIDTH}`} stroke="var(--mui-palette-text-secondary)" />
        {group.counts.length > 0 && (
          <>
            <text x={0} y={HEIGHT + 13} fontSize={11} fill="currentColor">
              {cut(levels ? page.labels[0] : page.labels[0]?.split(" to ")[0])}
            </text>
            {group.counts.length > 1 && (
              <text x={WIDTH} y={HEIGHT + 13} fontSize={11} textAnchor="end" fill="currentColor">
                {cut(levels ? page.labels.at(-1) : page.labels.at(-1)?.split(" to ")[1])}
              </text>
            )}
          </>
        )}
        <text x={WIDTH} y={10} fontSize={11} textAnchor="end" fill="var(--mui-palette-text-secondary)">
          {share(most)} at the top
        </text>
      </svg>
    </figure>
  );
}

function cut(label: string | undefined): string {
  return !label ? "" : label.length > 20 ? `${label.slice(0, 19)}…` : label;
}
