/** The fields inside a sentence: real controls, whatever check they belong to. */
import Box from "@mui/material/Box";
import type { Schemas } from "../../api/client";
import { InlineChoice, InlineMaybeNumber, InlineNumber } from "../../parts/Inline";
import { useTyped } from "../../parts/typed";
import { listed } from "../../wording";
import { cutsIn, mergeable, mergedWith } from "../Regroup";
import { OwnRecipes } from "./OwnRecipes";
import { neighbours, type FieldProps, type Part, type Value } from "./values";

export function Field({ field, off, onSet }: FieldProps<Part>) {
  switch (field.kind) {
    case "words":
      return <>{field.text}</>;
    case "number":
      return <NumberField field={field} off={off} onSet={onSet} />;
    case "maybe_number":
      return (
        <span style={{ whiteSpace: "nowrap" }}>
          <InlineMaybeNumber
            name={field.name}
            value={field.value}
            min={field.least}
            max={field.most}
            disabled={off}
            onSet={(value) => onSet(field.path, value)}
          />
          {field.unit}
        </span>
      );
    case "choice":
      return <ChoiceField field={field} off={off} onSet={onSet} />;
    case "set":
      return <SetField field={field} off={off} onSet={onSet} />;
    case "text":
      return <TextField field={field} off={off} onSet={onSet} />;
    case "numbers":
      return <NumbersField field={field} off={off} onSet={onSet} />;
    case "levels":
      return <LevelsField field={field} off={off} onSet={onSet} />;
    case "recipes":
      return <OwnRecipes field={field} off={off} onSet={onSet} />;
  }
}

function NumberField({ field, off, onSet }: FieldProps<Schemas["NumberField"]>) {
  const sign = field.turned ? -1 : 1;
  const [one, other] = [sign * field.least, sign * field.most];
  return (
    <InlineNumber
      name={field.name}
      value={sign * field.value || 0}
      min={Math.min(one, other)}
      max={Math.max(one, other)}
      whole={field.whole}
      unit={field.unit}
      disabled={off}
      onSet={(value) => onSet(field.path, sign * value, field.mirror)}
    />
  );
}

/** Values may be objects, such as a recipe, so an option goes by its place. */
function ChoiceField({ field, off, onSet }: FieldProps<Schemas["ChoiceField"]>) {
  const written = JSON.stringify(field.value);
  const place = field.options.findIndex((one) => JSON.stringify(one.value) === written);
  return (
    <InlineChoice
      name={field.name}
      value={String(Math.max(place, 0))}
      options={field.options.map((one, i) => [String(i), one.words] as const)}
      disabled={off}
      onSet={(i) => onSet(field.path, (field.options[Number(i)]?.value ?? null) as Value)}
    />
  );
}

function SetField({ field, off, onSet }: FieldProps<Schemas["SetField"]>) {
  const chosen = field.value;
  const put = (name: string, on: boolean) =>
    onSet(
      field.path,
      field.options.map((one) => String(one.value)).filter((one) => (one === name ? on : chosen.includes(one))),
    );
  const follows = field.options
    .filter((one) => chosen.includes(String(one.value)))
    .map((one) => one.follows)
    .filter(Boolean);
  return (
    <Box component="span" sx={{ display: "block" }}>
      <Box
        role="group"
        aria-label={field.name}
        sx={{ display: "grid", gridTemplateColumns: "repeat(2, max-content)", columnGap: 3 }}
      >
        {field.options.map((one) => {
          const name = String(one.value);
          return (
            <Box component="label" key={name} sx={{ minHeight: 24, display: "flex", gap: 0.75, alignItems: "center" }}>
              <input
                type="checkbox"
                checked={chosen.includes(name)}
                disabled={off || (chosen.length === 1 && chosen.includes(name))}
                onChange={(event) => put(name, event.target.checked)}
              />{" "}
              {one.words}
            </Box>
          );
        })}
      </Box>
      {field.so && (
        <span>
          {field.so} {follows.join("; ")}. {field.end}
        </span>
      )}
    </Box>
  );
}

const line = { font: "inherit", minHeight: 24, border: 0, bgcolor: "transparent" } as const;

/** Saved on leaving. */
function TextField({ field, off, onSet }: FieldProps<Schemas["TextField"]>) {
  const { text, type } = useTyped(field.value);
  return (
    <Box
      component="input"
      aria-label={field.name}
      value={text}
      disabled={off}
      placeholder={field.hint}
      onChange={(event: React.ChangeEvent<HTMLInputElement>) => type(event.target.value)}
      onBlur={() => text !== field.value && onSet(field.path, text)}
      sx={{ ...line, width: "min(720px, 85%)", borderBottom: 1, borderColor: "divider", color: "text.primary" }}
    />
  );
}

function NumbersField({ field, off, onSet }: FieldProps<Schemas["NumbersField"]>) {
  const written = field.value.join(", ");
  const { text, type, putBack } = useTyped(written);
  const settle = () => {
    const next = cutsIn(text, field.most);
    if (field.none && text.trim() === "") {
      if (field.value.length > 0) onSet(field.path, null);
    } else if (next === null) putBack();
    else if (next.join() !== field.value.join()) onSet(field.path, next);
  };
  return (
    <Box
      component="input"
      aria-label={field.name}
      value={text}
      disabled={off}
      placeholder={field.none}
      onChange={(event: React.ChangeEvent<HTMLInputElement>) => type(event.target.value)}
      onBlur={settle}
      sx={{
        ...line,
        width: 120,
        borderBottom: 1.5,
        borderColor: "primary.main",
        color: "primary.main",
        fontWeight: 560,
      }}
    />
  );
}

function LevelsField({ field, off, onSet }: FieldProps<Schemas["LevelsField"]>) {
  const together = field.value.map((one) => listed(one));
  const pairs = neighbours(mergeable([...field.groups], [...field.levels]));
  return (
    <>
      {together.length > 0 && (
        <>
          taken together {together.join("; ")}{" "}
          {!off && (
            <Box
              component="button"
              onClick={() => onSet(field.path, null)}
              sx={{ ...line, color: "primary.main", cursor: "pointer" }}
            >
              apart again
            </Box>
          )}
        </>
      )}
      {!off && field.groups.length > 2 && (
        <InlineChoice
          name={field.name}
          value=""
          disabled={off}
          options={[
            ["", "take two together"] as const,
            ...pairs.map(([a, b]) => [`${a}\u0000${b}`, `${a} with ${b}`] as const),
          ]}
          onSet={(pair) =>
            pair && onSet(field.path, mergedWith(pair.split("\u0000"), [...field.groups], [...field.levels]))
          }
        />
      )}
    </>
  );
}
