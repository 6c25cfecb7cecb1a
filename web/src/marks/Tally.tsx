/** Severity of a finding: one to four strokes. */
import { useTheme } from "@mui/material/styles";
import { severity as severityWords } from "../wording";

export function Tally({ severity, label = severityWords(severity) }: { severity: number; label?: string }) {
  const { vars } = useTheme();
  return (
    <svg width={4 + severity * 5} height={14} role="img" aria-label={label} style={{ flex: "none" }}>
      <title>{label}</title>
      {Array.from({ length: severity }, (_, i) => (
        <path key={i} d={`M${3 + i * 5} 1V13`} stroke={vars?.palette.brook.brick} strokeWidth={1.8} />
      ))}
    </svg>
  );
}
