/** Values inside sentences: real controls, at least 24 px high, named for a screen reader. */
import { styled } from "@mui/material/styles";
import { useEffect, useState } from "react";

const look = {
  font: "inherit",
  fontWeight: 560,
  border: 0,
  borderBottom: "1.5px solid var(--mui-palette-primary-main)",
  color: "var(--mui-palette-primary-main)",
  background: "transparent",
  padding: "0 3px",
  minHeight: 24,
  margin: "0 1px",
  borderRadius: 2,
  fieldSizing: "content",
  "&:disabled": { borderBottomColor: "transparent", color: "inherit", opacity: 1, WebkitTextFillColor: "currentColor" },
  "&:hover:not(:disabled)": { background: "var(--mui-palette-brook-pale)" },
} as const;

const Field = styled("input")({ ...look, textAlign: "center" });
const Select = styled("select")({
  ...look,
  appearance: "none",
  cursor: "pointer",
  "& option": { color: "black", background: "white" },
});

interface InlineNumberProps {
  name: string;
  value: number;
  min: number;
  max: number;
  disabled: boolean;
  unit?: string;
  whole?: boolean;
  onSet: (value: number) => void;
}

/** Saved on Enter or on leaving; what is not a number in range is put back. */
export function InlineNumber({ name, value, min, max, disabled, unit, whole, onSet }: InlineNumberProps) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const settle = () => {
    const wanted = Number(text.replace(",", "."));
    if (
      text.trim() !== "" &&
      Number.isFinite(wanted) &&
      wanted >= min &&
      wanted <= max &&
      (!whole || Number.isInteger(wanted))
    ) {
      if (wanted !== value) onSet(wanted);
    } else setText(String(value));
  };
  return (
    <span style={{ whiteSpace: "nowrap" }}>
      <Field
        aria-label={name}
        inputMode="decimal"
        value={text}
        disabled={disabled}
        onChange={(event) => setText(event.target.value)}
        onBlur={settle}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      {unit}
    </span>
  );
}

interface InlineChoiceProps<T extends string> {
  name: string;
  value: T;
  options: readonly (readonly [T, string])[];
  disabled: boolean;
  onSet: (value: T) => void;
}

export function InlineChoice<T extends string>({ name, value, options, disabled, onSet }: InlineChoiceProps<T>) {
  return (
    <Select aria-label={name} value={value} disabled={disabled} onChange={(event) => onSet(event.target.value as T)}>
      {options.map(([key, words]) => (
        <option key={key} value={key}>
          {words}
        </option>
      ))}
    </Select>
  );
}
