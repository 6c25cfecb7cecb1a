/** How the rows are used, as sentences of the plan: the parts, and the folds. */
import type { Plan as PlanBody, Schemas } from "../../api/client";
import { InlineChoice, InlineNumber } from "../../parts/Inline";

type Shares = Schemas["Shares"];
type Folds = Schemas["Folds"];
type By = NonNullable<Folds["by"]>;
type Kind = NonNullable<Folds["kind"]>;

interface SentenceProps {
  plan: PlanBody;
  view: Schemas["PlanView"];
  off: boolean;
  set: (part: Partial<PlanBody>) => void;
}

const SPLIT_BY: Record<By, string> = {
  rows: "row by row",
  groups: "by whole groups",
  time: "by time, the earliest to training",
};
const FOLD_BY: Record<By, string> = { rows: "row by row", groups: "whole groups together", time: "forward in time" };

/** A split by groups or time is offered where a column has that role, and shown wherever it is set. */
function SplitBy({
  name,
  value,
  view,
  off,
  words,
  onSet,
}: {
  name: string;
  value: By;
  view: Schemas["PlanView"];
  off: boolean;
  words: Record<By, string>;
  onSet: (by: By) => void;
}) {
  // The alternatives of an occasion always stay together.
  const choice = view.outcome === "choice";
  const there: Record<By, boolean> = { rows: !choice, groups: view.grouped, time: view.timed && !choice };
  const options = (Object.keys(words) as By[])
    .filter((by) => there[by] || by === value)
    .map((by): [By, string] => [by, words[by]]);
  if (choice && value === "groups") return <>by whole occasions</>;
  return options.length > 1 ? (
    <InlineChoice name={name} value={value} options={options} disabled={off} onSet={onSet} />
  ) : (
    <>{words[value]}</>
  );
}

const KINDS: [Kind, string][] = [
  ["k_fold", "folds"],
  ["leave_one_out", "every row left out in turn"],
  ["random_splits", "random splits"],
  ["bootstrap", "bootstrap resamples"],
];
const USUAL: Record<Kind, Partial<Folds>> = {
  k_fold: { folds: 10, repeats: 1 },
  leave_one_out: { repeats: 1, by: "rows" },
  random_splits: { folds: 50, repeats: 1, test: 20 },
  bootstrap: { folds: 100, repeats: 1, by: "rows" },
};

export function FoldsSentence({ plan, view, off, set }: SentenceProps) {
  const how = plan.cross_validation;
  const kind = how.kind ?? "k_fold";
  // An occasion can't stand twice in a fit, as resampled rows would.
  const kinds = KINDS.filter(([one]) => view.outcome !== "choice" || one !== "bootstrap");
  const setFolds = (next: Partial<Folds>) => set({ cross_validation: { ...how, ...next } });
  // Only k folds go forward in time.
  const setKind = (next: Kind) =>
    setFolds({
      kind: next,
      ...USUAL[next],
      ...(next !== "k_fold" && how.by === "time" ? { by: "rows" as const } : {}),
    });
  return (
    <>
      Cross-validate with{" "}
      {kind !== "leave_one_out" && (
        <InlineNumber
          name="Folds"
          value={how.folds ?? 10}
          min={2}
          max={kind === "k_fold" ? 50 : 1000}
          disabled={off}
          onSet={(folds) => setFolds({ folds })}
        />
      )}{" "}
      <InlineChoice name="Kind of cross-validation" value={kind} options={kinds} disabled={off} onSet={setKind} />
      {kind === "random_splits" && (
        <>
          {" "}
          that hold out{" "}
          <InlineNumber
            name="Share held out"
            value={how.test ?? 20}
            min={1}
            max={90}
            unit=" %"
            disabled={off}
            onSet={(test) => setFolds({ test })}
          />
        </>
      )}
      {kind === "k_fold" && how.by !== "time" && (
        <>
          ,{" "}
          <InlineNumber
            name="Repeats"
            value={how.repeats ?? 1}
            min={1}
            max={20}
            disabled={off}
            onSet={(repeats) => setFolds({ repeats })}
          />{" "}
          times over
        </>
      )}
      {(kind === "k_fold" || kind === "random_splits") && (
        <>
          ,{" "}
          <SplitBy
            name="Rows are folded"
            value={how.by ?? "rows"}
            view={view}
            off={off}
            words={FOLD_BY}
            onSet={(by) => setFolds(by === "time" ? { by, repeats: 1 } : { by })}
          />
          {["binary", "multiclass"].includes(view.outcome) && how.by !== "time" && (
            <>
              ,{" "}
              <InlineChoice
                name="Stratified folds"
                value={how.stratified ? "yes" : "no"}
                options={[
                  ["yes", "stratified"],
                  ["no", "at random"],
                ]}
                disabled={off}
                onSet={(v) => setFolds({ stratified: v === "yes" })}
              />
            </>
          )}
        </>
      )}
    </>
  );
}

export function RowsSentence({ plan, view, off, set }: SentenceProps) {
  const parts = plan.parts;
  if (parts.kind === "given") {
    return (
      <>
        Use the{" "}
        <InlineChoice
          name="Parts"
          value="given"
          options={[
            ["given", "parts that the data name"],
            ["shares", "parts split by shares"],
          ]}
          disabled={off}
          onSet={(v) =>
            v === "shares" &&
            set({ parts: { kind: "shares", training: 70, validation: null, test: 30, stratified: true, by: "rows" } })
          }
        />
      </>
    );
  }
  const setShares = (next: Partial<Shares>) => set({ parts: { ...parts, ...next } });
  const three = parts.validation != null;
  // The training share takes up what another share gives or takes, so that they always add up.
  const rest = (validation: number | null | undefined, test: number) =>
    Math.round((100 - (validation ?? 0) - test) * 1000) / 1000;
  const most = (other: number) => 100 - other - 1;
  return (
    <>
      Split them into{" "}
      <InlineChoice
        name="Number of parts"
        value={three ? "three" : "two"}
        options={[
          ["two", "two parts"],
          ["three", "three parts"],
        ]}
        disabled={off}
        onSet={(v) =>
          v === "three"
            ? setShares({ training: rest(20, parts.test), validation: 20 })
            : setShares({ training: rest(null, parts.test), validation: null })
        }
      />
      :{" "}
      <InlineNumber
        name="Training share"
        value={parts.training}
        min={1}
        max={most(three ? 1 : 0)}
        unit=" %"
        disabled={off}
        onSet={(training) =>
          three
            ? setShares({
                training,
                validation: Math.max(1, 100 - training - parts.test),
                test: 100 - training - Math.max(1, 100 - training - parts.test),
              })
            : setShares({ training, test: 100 - training })
        }
      />{" "}
      training,{" "}
      {three && (
        <>
          <InlineNumber
            name="Validation share"
            value={parts.validation ?? 0}
            min={1}
            max={most(parts.test)}
            unit=" %"
            disabled={off}
            onSet={(validation) => setShares({ training: rest(validation, parts.test), validation })}
          />{" "}
          validation and{" "}
        </>
      )}
      <InlineNumber
        name="Test share"
        value={parts.test}
        min={1}
        max={most(parts.validation ?? 0)}
        unit=" %"
        disabled={off}
        onSet={(test) => setShares({ training: rest(parts.validation, test), test })}
      />{" "}
      test,{" "}
      <SplitBy
        name="Rows are split"
        value={parts.by ?? "rows"}
        view={view}
        off={off}
        words={SPLIT_BY}
        onSet={(by) => setShares({ by })}
      />
      {["binary", "multiclass"].includes(view.outcome) && parts.by !== "time" && (
        <>
          {", "}
          <InlineChoice
            name="Stratified split"
            value={parts.stratified ? "yes" : "no"}
            options={[
              ["yes", `keeping the share of ${view.positive || "each class"} equal`],
              ["no", "whatever their outcomes"],
            ]}
            disabled={off}
            onSet={(v) => setShares({ stratified: v === "yes" })}
          />
        </>
      )}
      {view.has_part_column && (
        <>
          {" "}
          (
          <InlineChoice
            name="Parts"
            value="shares"
            options={[
              ["shares", "by shares"],
              ["given", "or use the parts that the data name"],
            ]}
            disabled={off}
            onSet={(v) => v === "given" && set({ parts: { kind: "given" } })}
          />
          )
        </>
      )}
    </>
  );
}
