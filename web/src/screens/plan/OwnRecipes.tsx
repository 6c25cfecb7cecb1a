/** Recipes of the reviewer's own: each a family with its settings and how columns are prepared for it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { InlineChoice } from "../../parts/Inline";
import { settingsIn, type FieldProps } from "./values";

interface Own {
  name: string;
  recipe: { family: string; settings?: Record<string, unknown>; preprocess?: Record<string, unknown> };
}

const SCALES = [
  ["none", "not scaled"],
  ["standard", "standardised"],
  ["minmax", "scaled to 0–1"],
  ["robust", "scaled by quartiles"],
] as const;
const ENCODINGS = [
  ["onehot", "levels one-hot"],
  ["ordinal", "levels as numbers"],
  ["target", "levels by their mean outcome"],
] as const;
const plain = { font: "inherit", minHeight: 24, border: 0, bgcolor: "transparent", color: "primary.main" } as const;

export function OwnRecipes({ field, off, onSet }: FieldProps<Schemas["RecipesField"]>) {
  const [adding, setAdding] = useState(false);
  const held = field.value as unknown as Own[];
  const words = (family: string) => field.families.find((one) => one.value === family)?.words ?? family;
  const put = (next: Own[]) => onSet(field.path, next);
  return (
    <>
      {held.length === 0 && !adding && (off ? "none of your own" : "")}
      {held.map((one, i) => (
        <span key={one.name}>
          {i > 0 && ", "}
          <b>{one.name}</b> (
          {[
            words(one.recipe.family),
            ...Object.entries(one.recipe.settings ?? {}).map(([key, value]) => `${key.replaceAll("_", " ")} ${value}`),
          ].join(", ")}
          )
          {!off && (
            <Box
              component="button"
              aria-label={`Leave out ${one.name}`}
              onClick={() => put(held.filter((other) => other !== one))}
              sx={{ ...plain, cursor: "pointer" }}
            >
              leave out
            </Box>
          )}
        </span>
      ))}
      {!off && !adding && held.length < field.most && (
        <Box component="button" onClick={() => setAdding(true)} sx={{ ...plain, cursor: "pointer", fontWeight: 560 }}>
          {held.length ? " add another" : "one of your own"}
        </Box>
      )}
      {adding && (
        <NewRecipe
          families={field.families}
          taken={held.map((one) => one.name)}
          onAdd={(own) => {
            put([...held, own]);
            setAdding(false);
          }}
          onLeave={() => setAdding(false)}
        />
      )}
    </>
  );
}

interface NewProps {
  families: Schemas["RecipesField"]["families"];
  taken: readonly string[];
  onAdd: (own: Own) => void;
  onLeave: () => void;
}

function NewRecipe({ families, taken, onAdd, onLeave }: NewProps) {
  const [name, setName] = useState("");
  const [family, setFamily] = useState(String(families[0]?.value ?? ""));
  const [written, setWritten] = useState("");
  const [scale, setScale] = useState<(typeof SCALES)[number][0]>("none");
  const [encode, setEncode] = useState<(typeof ENCODINGS)[number][0]>("onehot");
  const settings = settingsIn(written);
  const problem = taken.includes(name.trim())
    ? "This name is taken."
    : settings === null
      ? "Write settings as depth 3, leaves 8."
      : null;
  const input = { ...plain, borderBottom: 1.5, borderColor: "primary.main" } as const;
  return (
    <Box component="span" role="group" aria-label="A challenger of your own" sx={{ display: "block", pl: 2, py: 0.5 }}>
      called{" "}
      <Box
        component="input"
        aria-label="Name of the challenger"
        value={name}
        onChange={(event: React.ChangeEvent<HTMLInputElement>) => setName(event.target.value)}
        sx={{ ...input, width: 160 }}
      />
      ,{" "}
      <InlineChoice
        name="Its family"
        value={family}
        options={families.map((one) => [String(one.value), one.words] as const)}
        disabled={false}
        onSet={setFamily}
      />{" "}
      with{" "}
      <Box
        component="input"
        aria-label="Its settings"
        value={written}
        placeholder="depth 3, leaves 8"
        onChange={(event: React.ChangeEvent<HTMLInputElement>) => setWritten(event.target.value)}
        sx={{ ...input, width: 200 }}
      />
      , numbers{" "}
      <InlineChoice name="How numbers are scaled" value={scale} options={SCALES} disabled={false} onSet={setScale} />,{" "}
      <InlineChoice
        name="How levels are encoded"
        value={encode}
        options={ENCODINGS}
        disabled={false}
        onSet={setEncode}
      />{" "}
      <Button
        size="small"
        disabled={name.trim() === "" || problem !== null}
        onClick={() =>
          onAdd({ name: name.trim(), recipe: { family, settings: settings ?? {}, preprocess: { scale, encode } } })
        }
      >
        Add it
      </Button>
      <Button size="small" onClick={onLeave}>
        Leave it
      </Button>
      {problem && name.trim() !== "" && (
        <Box component="span" role="alert" sx={{ color: "brook.brick", typography: "body2" }}>
          {problem}
        </Box>
      )}
    </Box>
  );
}
