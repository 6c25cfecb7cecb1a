/** What came of a retest: of each exhibit what it said and says, before and after on one strip, and the differences. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { Retest } from "../../api/findings";
import { IntervalStrip } from "../../charts/IntervalStrip";
import { GaugeMark, markOf } from "../../marks/GaugeMark";
import { DataTable } from "../../parts/DataTable";
import { SideScroll } from "../../parts/SideScroll";
import { count, interval, number, plural, standing } from "../../wording";

type Exhibit = Schemas["RetestedExhibit"];
type Figure = Schemas["ComparedFigure"];

export function RetestFigures({ caseId, retest }: { caseId: number; retest: Retest }) {
  const { result } = retest;
  if (result === null) return null;
  return (
    <Box component="section" aria-label={`Retest on version ${retest.version}`} sx={{ mt: 1 }}>
      {result.exhibits.map((exhibit) => (
        <ExhibitDifference
          key={exhibit.number}
          caseId={caseId}
          exhibit={exhibit}
          old={result.version_before}
          fresh={result.version_after}
        />
      ))}
      <Typography variant="body2" sx={{ mt: 0.5 }}>
        <a href={`/api/cases/${caseId}/retests/${retest.id}/evidence`} download>
          Evidence of the retest
        </a>
        , from which the command line computes it again; the case of{" "}
        <Link to={`/cases/${retest.on_case_id}/brief`}>{retest.version}</Link>
      </Typography>
    </Box>
  );
}

interface ExhibitDifferenceProps {
  caseId: number;
  exhibit: Exhibit;
  old: string;
  fresh: string;
}

export function ExhibitDifference({ caseId, exhibit, old, fresh }: ExhibitDifferenceProps) {
  return (
    <Box sx={{ mt: 1 }}>
      <Link to={`/cases/${caseId}/evidence?exhibit=${exhibit.number}`}>
        Exhibit {exhibit.number}, {exhibit.title.toLowerCase()}
      </Link>
      {[
        [old, exhibit.before, exhibit.standing_before] as const,
        [fresh, exhibit.after, markOf({ standing: exhibit.standing_after, open: exhibit.open_after })] as const,
      ].map(([version, answer, stands]) => (
        <Box key={version} sx={{ display: "grid", gridTemplateColumns: "30px 48px 1fr", mt: 0.25 }}>
          <span>{stands && <GaugeMark standing={stands} />}</span>
          <b style={{ fontWeight: 550 }}>{version}</b>
          <span>{answer}</span>
        </Box>
      ))}
      {exhibit.compared.length > 0 && <IntervalStrip {...stripOf(exhibit.compared, old, fresh)} />}
      {exhibit.compared.length > 0 && (
        <SideScroll label={`Differences of exhibit ${exhibit.number}`}>
          <DataTable
            close
            label={`Differences of exhibit ${exhibit.number}`}
            rows={exhibit.compared}
            keyOf={(one) => one.id}
            columns={[
              { head: "figure", cell: (one) => one.label },
              { head: old, cell: (one) => interval(one.before) },
              { head: fresh, cell: (one) => (one.after ? interval(one.after) : "not there") },
              { head: "difference", cell: differenceOf },
              { head: "n", cell: (one) => (one.difference ? count(one.difference.n) : "") },
              { head: "now", cell: (one) => (one.after?.standing ? standing(one.after.standing) : "not judged") },
            ]}
          />
        </SideScroll>
      )}
      {[...new Set(exhibit.compared.map((one) => one.difference?.how).filter((how) => how !== undefined))].map(
        (how) => (
          <Typography key={how} variant="body2" sx={{ color: "text.secondary" }}>
            Differences {how}.
          </Typography>
        ),
      )}
      {exhibit.left_out > 0 && (
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {plural(exhibit.left_out, "more figure")} in the evidence of the retest.
        </Typography>
      )}
    </Box>
  );
}

/** A group of the strip for each figure, in it the version before and the one after. */
export function stripOf(compared: readonly Figure[], old: string, fresh: string) {
  const estimates: Schemas["Estimate"][] = [];
  const groups = compared.map(({ label, before, after }) => {
    const rows = [{ estimate: estimates.push(before) - 1, label: old, colour: "reference" }];
    if (after) rows.push({ estimate: estimates.push(after) - 1, label: fresh, colour: "recipe" });
    return { label, rows, claim: null, gap: null, brackets: [] };
  });
  return { chart: { kind: "strip" as const, id: "", title: `${old} and ${fresh}`, unit: "", groups }, estimates };
}

/** After minus before, with its interval, or why there is none. */
function differenceOf({ difference }: Figure): string {
  if (difference === null) return "";
  if (difference.value === null) return difference.note ?? "can't be computed";
  const { value, low, high } = difference;
  const ends = low == null || high == null ? (difference.note ?? "no interval") : `${number(low)} to ${number(high)}`;
  return `${value > 0 ? "+" : ""}${number(value)} (${ends})`;
}
