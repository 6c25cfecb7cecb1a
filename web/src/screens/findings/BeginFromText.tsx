/** Begins a finding with a text of the house, filled in as far as the case can. */
import Typography from "@mui/material/Typography";
import { useFindingTexts, type FindingWords } from "../../api/templates";
import { InlineChoice } from "../../parts/Inline";

interface BeginFromTextProps {
  caseId: number;
  exhibit: number | null;
  onTake: (words: FindingWords) => void;
}

export function BeginFromText({ caseId, exhibit, onTake }: BeginFromTextProps) {
  const texts = useFindingTexts(caseId, exhibit);
  if (!texts.data || texts.data.length === 0) return null;
  return (
    <Typography>
      Begin with{" "}
      <InlineChoice
        name="Text of the house to begin with"
        value=""
        options={[
          ["", "a text of the house"] as const,
          ...texts.data.map((one) => [String(one.id), one.name] as const),
        ]}
        disabled={false}
        onSet={(id) => {
          const words = texts.data.find((one) => String(one.id) === id)?.words;
          if (words) onTake(words);
        }}
      />
      ; what is written gives way to it.
    </Typography>
  );
}
