/** Values inside sentences: real controls, at least 24 px high, named for a screen reader. */
import { styled } from "@mui/material/styles";
import { useTyped } from "./typed";

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
  const { text, type, putBack } = useTyped(String(value));
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
    } else putBack();
  };
  return (
    <span style={{ whiteSpace: "nowrap" }}>
      <Field
        aria-label={name}
        inputMode="decimal"
        value={text}
        disabled={disabled}
        onChange={(event) => type(event.target.value)}
        onBlur={settle}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      {unit}
    </span>
  );
}

interface InlineMaybeNumberProps {
  name: string;
  value: number | null;
  min?: number;
  max?: number;
  disabled: boolean;
  onSet: (value: number | null) => void;
}

/** A number that need not be there: empty is none. */
export function InlineMaybeNumber({
  name,
  value,
  min = -Infinity,
  max = Infinity,
  disabled,
  onSet,
}: InlineMaybeNumberProps) {
  const { text, type, putBack } = useTyped(value === null ? "" : String(value));
  const settle = () => {
    const wanted = text.trim() === "" ? null : Number(text.replace(",", "."));
    if (wanted !== null && !(Number.isFinite(wanted) && wanted >= min && wanted <= max)) putBack();
    else if (wanted !== value) onSet(wanted);
  };
  return (
    <Field
      aria-label={name}
      inputMode="decimal"
      value={text}
      disabled={disabled}
      placeholder="–"
      style={{ minWidth: 24 }}
      onChange={(event) => type(event.target.value)}
      onBlur={settle}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    />
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

interface InlineDayProps {
  name: string;
  value: string;
  disabled?: boolean;
  onSet: (value: string) => void;
}

/** A day, or none. Browsers tell of each digit typed: only a whole date, or an empty field, is set. */
export function InlineDay({ name, value, disabled, onSet }: InlineDayProps) {
  return (
    <Field
      type="date"
      aria-label={name}
      defaultValue={value}
      key={value}
      disabled={disabled}
      onBlur={(event) => {
        const day = event.currentTarget.value;
        if (day !== value && event.currentTarget.validity.valid) onSet(day);
      }}
      onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    />
  );
}
