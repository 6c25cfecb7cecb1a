/** Standing as a short horizontal line, the limit, and a sign: six forms that differ in outline; colour repeats them. */
import { useTheme } from "@mui/material/styles";
import { standing as standingWords } from "../wording";

/** How an exhibit is marked: within it may be although some of it is open. */
export const markOf = ({ standing, open }: { standing?: string | null; open?: number }) =>
  standing === "within" && open ? "within_open" : standing;

export function GaugeMark({ standing, label }: { standing: string | null | undefined; label?: string }) {
  const { vars } = useTheme();
  const kind = standing ?? "none";
  const words = [label, standingWords(kind)].filter(Boolean).join(": ");
  return (
    <svg
      width={24}
      height={20}
      viewBox="0 0 24 20"
      role="img"
      aria-label={words}
      style={{ flex: "none", display: "block" }}
    >
      <title>{words}</title>
      {kind !== "none" && (
        <path
          d="M2 10H22"
          stroke={vars?.palette.text.primary}
          strokeWidth={1.4}
          strokeDasharray={kind === "unsettled" ? "1.5 3" : undefined}
        />
      )}
      {(kind === "within" || kind === "within_open") && (
        <circle cx={kind === "within" ? 12 : 8.5} cy={15.2} r={3.4} fill={vars?.palette.primary.main} />
      )}
      {kind === "within_open" && (
        <circle
          cx={17.5}
          cy={15.2}
          r={2.8}
          fill="none"
          stroke={vars?.palette.text.secondary}
          strokeWidth={1.3}
          strokeDasharray="1.6 1.7"
        />
      )}
      {kind === "near" && (
        <circle
          cx={12}
          cy={10}
          r={3.6}
          fill={vars?.palette.background.default}
          stroke={vars?.palette.brook.ochre}
          strokeWidth={2.2}
        />
      )}
      {kind === "outside" && <path d="M12 0.4l4.4 4.4-4.4 4.4-4.4-4.4z" fill={vars?.palette.brook.brick} />}
      {kind === "unsettled" && (
        <circle
          cx={12}
          cy={10}
          r={2.4}
          fill={vars?.palette.background.default}
          stroke={vars?.palette.text.secondary}
          strokeWidth={1.3}
        />
      )}
      {kind === "none" && <circle cx={12} cy={10} r={1.8} fill={vars?.palette.brook.muted} />}
    </svg>
  );
}
