"""The fairness audit: its speed beside fairlearn's MetricFrame, its false alarms, its intervals, and what it finds.

One process, one thread on both sides. Writes docs/benchmarks-fairness.md. Run with ``make bench``.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import combinations
from pathlib import Path

import numpy as np
from fairlearn.metrics import MetricFrame, false_positive_rate, selection_rate, true_positive_rate
from sklearn.metrics import accuracy_score
from threadpoolctl import threadpool_limits

from benchmarks.core import clocked
from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Audited, Compared, compare
from brookfall.core.check.groups.criteria import criteria_of
from brookfall.core.check.groups.omnibus import Omnibus, is_cleared, omnibus_of, tell_p
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.groups.sides import members_of
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.measure.group_spread import resampled, spread
from brookfall.core.measure.scored import Scored
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Column, Table

PAGE = Path(__file__).resolve().parents[1] / "docs" / "benchmarks-fairness.md"
CRITERIA = (
    *("selection_rate", "true_positive_rate", "false_positive_rate", "false_negative_rate", "accuracy", "base_rate"),
    *("positive_predictive_value", "negative_predictive_value", "mean_score", "auc"),
)
COUNTED = CRITERIA[:8]
LEVELS = (2, 4, 5, 2)
SIMULATIONS, REPETITIONS = 1000, 25
DRAWS, ROWS, GROUPS = 300, 12_000, 20
SHARES = (1.0, 0.4, 0.2)
"""Of a group, how many are harmed."""


def drawn(rng: np.random.Generator, n: int, levels: tuple[int, ...]) -> tuple[Scored, list[Ground]]:
    """A perfectly fair model: scores are the probabilities, and groups have nothing to do with either."""
    scores = rng.beta(1.5, 3, n)
    outcomes = rng.random(n) < scores
    grounds = [
        Ground(f"ground {place}", tuple(f"level {level}" for level in range(count)), rng.integers(0, count, n))
        for place, count in enumerate(levels)
    ]
    return Scored(key="drawn", outcomes=outcomes, scores=scores, threshold=0.4), grounds


# Speed.


def audit(rows: Scored, grounds: list[Ground], resamples: int, criteria: tuple[str, ...] = CRITERIA) -> int:
    """Singles, pairs and triples by every criterion with intervals, and the spread of every count over resamples."""
    rng, made = np.random.default_rng(1), 0
    for order in (1, 2, 3):
        for family in members_of(grounds, rows, order, {}):
            for member in family:
                made += sum(member.rate(name).interval(0.95) is not None for name in criteria)
            cells = np.stack([member.cells for member in family])
            counted = tuple(name for name in criteria if name in COUNTED)
            spread(resampled(counted, cells, resamples, rng))
    return made


def speed() -> list[str]:
    rng = np.random.default_rng(3)
    rows, grounds = drawn(rng, 1_000_000, LEVELS)
    whole, made = clocked(lambda: audit(rows, grounds, 1000))
    one = [
        f"| all of it: 1 000 000 rows, 4 grounds, singles, pairs and triples, 10 criteria, 1 000 resamples: {made:,} "
        f"intervals | – | {whole:.1f} s | – | – | under 15 s |"
    ]
    both = (*COUNTED[:3], "accuracy")
    metrics = {
        "selection_rate": selection_rate,
        "true_positive_rate": true_positive_rate,
        "false_positive_rate": false_positive_rate,
        "accuracy": accuracy_score,
    }
    few, some = 5, rows.take(np.arange(100_000), "some")
    of_some = [ground.take(np.arange(100_000)) for ground in grounds]
    ours, _ = clocked(lambda: audit(some, of_some, 1000, both))

    def theirs() -> None:
        for order in (1, 2, 3):
            for chosen in combinations(of_some, order):
                MetricFrame(
                    metrics=metrics,
                    y_true=some.outcomes,
                    y_pred=some.decisions,
                    sensitive_features={ground.name: ground.codes for ground in chosen},
                    n_boot=few,
                    ci_quantiles=[0.025, 0.975],
                    random_state=1,
                )

    there, _ = clocked(theirs)
    scaled = there * 1000 / few
    one.append(
        f"| the same groups of 100 000 rows, 4 criteria, 1 000 resamples | MetricFrame with n_boot ({few}, scaled) | "
        f"{ours:.2f} s | {scaled:.0f} s | {scaled / ours:,.0f} | 1 000 |"
    )
    return one


# False alarms of a fair model, and coverage.


def a_bench() -> Bench:
    """A bench for its plan alone: the limits of the built-in policy."""
    columns = {"x": ["1", "2", "3", "4"], "y": ["yes", "no", "yes", "no"]}
    table = Table(tuple(column_from_text(name, cells) for name, cells in columns.items()))
    subject = Subject(table, Roles(target="y"), None, (), "drawn")
    return Bench(subject, standard_plan(1, given_parts=False))


@dataclass(frozen=True)
class Judged:
    """One ground, judged on some rows: its comparisons, its omnibus estimates, and how the whole stands."""

    draft: Draft
    flat: list[Compared]
    omnibus: list[Omnibus]
    whole: Standing | None


def judged(bench: Bench, rows: Scored, grounds: list[Ground], references: Mapping[str, str] | None = None) -> Judged:
    """One ground by every judged criterion, each group against everyone else or the reference that is named."""
    draft, read = Draft(bench.plan.policy.level), Audited("recipe", "out_of_fold", None, np.arange(len(rows)), rows)
    (members,) = members_of(grounds, rows, 1, references or {})
    page = [
        compare(bench, draft, members, read, criterion)
        for criterion in criteria_of(bench.plan, rows)
        if criterion.harm in bench.plan.harms
    ]
    omnibus = [one for compared in page for one in omnibus_of(bench, draft, compared)]
    flat = [one for compared in page for one in compared]
    tell_p(draft, flat, omnibus)
    return Judged(draft, flat, omnibus, draft.worst(cleared=is_cleared(draft, [page], omnibus)))


def stands(bench: Bench, rows: Scored, grounds: list[Ground]) -> tuple[set[Standing], int, int, int]:
    """The standings of one ground's judged estimates; comparisons, and how many intervals, plain and all simultaneous
    ones together (0 or 1), hold that there is no difference."""
    found = judged(bench, rows, grounds)
    draft = found.draft
    places = [(place, 1.0 if kind == "ratio" else 0.0) for one in found.flat for kind, place in one.judged(draft)]
    held = [_holds(draft.figure(place).interval(draft.level), ideal) for place, ideal in places]
    wide = [_holds(draft.figure(place).interval(draft.wide_level), ideal) for place, ideal in places]
    return set(draft.standings()), len(places), sum(held), int(all(wide))


def _holds(interval: tuple[float, float] | None, ideal: float) -> bool:
    return interval is not None and interval[0] <= ideal <= interval[1]


def alarms() -> list[str]:
    bench, lines = a_bench(), []
    for n, groups in ((3_000, 5), (12_000, 20)):
        rng = np.random.default_rng(n)
        outside = near = held = made = wide = 0
        for _ in range(SIMULATIONS):
            rows, grounds = drawn(rng, n, (groups,))
            found, count, kept, all_kept = stands(bench, rows, grounds)
            outside += Standing.OUTSIDE in found
            near += bool({Standing.OUTSIDE, Standing.NEAR} & found)
            held, made, wide = held + kept, made + count, wide + all_kept
        lines.append(
            f"| {n:,} rows in {groups} groups | {100 * outside / SIMULATIONS:.1f} % | "
            f"{100 * near / SIMULATIONS:.1f} % | {100 * held / made:.1f} % | {100 * wide / SIMULATIONS:.1f} % |"
        )
    return lines


# What is cleared, and a split down the middle.

Rows = Callable[[np.random.Generator], tuple[Scored, list[Ground]]]


def _in_groups(rng: np.random.Generator, *, uneven: bool = False) -> list[Ground]:
    sizes = np.geomspace(1, 8, GROUPS) if uneven else np.ones(GROUPS)
    codes = rng.choice(GROUPS, ROWS, p=sizes / sizes.sum())
    return [Ground("ground", tuple(f"level {place}" for place in range(GROUPS)), codes)]


def by_scores(base: float, *, uneven: bool = False) -> Rows:
    """Scores are the true probabilities, and as many rows are selected as are positive."""

    def drawn_rows(rng: np.random.Generator) -> tuple[Scored, list[Ground]]:
        scores = rng.beta(1.5, 1.5 * (1 - base) / base, ROWS)
        outcomes = rng.random(ROWS) < scores
        threshold = float(np.quantile(scores, 1 - base))
        return Scored(key="fair", outcomes=outcomes, scores=scores, threshold=threshold), _in_groups(rng, uneven=uneven)

    return drawn_rows


def by_rates(base: float) -> Rows:
    """Of all positives 0.7 are selected, of all negatives 0.2."""

    def drawn_rows(rng: np.random.Generator) -> tuple[Scored, list[Ground]]:
        outcomes = rng.random(ROWS) < base
        selected = rng.random(ROWS) < np.where(outcomes, 0.7, 0.2)
        return Scored(key="fair", outcomes=outcomes, scores=selected.astype(float), threshold=0.5), _in_groups(rng)

    return drawn_rows


CASES: dict[str, Rows] = {
    **{f"TPR 0.7, FPR 0.2, base rate {base}": by_rates(base) for base in (0.5, 0.3, 0.1)},
    **{f"scores are probabilities, base rate {base}": by_scores(base) for base in (0.5, 0.45, 0.3, 0.1)},
    "the same, base rate 0.3, uneven sizes": by_scores(0.3, uneven=True),
}


def _share_within(found: Judged, rule: str) -> float:
    """The share of comparisons within: by their simultaneous intervals, or each by its own."""
    draft = found.draft
    level = draft.wide_level if rule == "simultaneous" else draft.level
    places = [place for one in found.flat for _, place in one.judged(draft)]
    ends = [(draft.limit(place), draft.figure(place).interval(level)) for place in places]
    kept = [
        limit is not None and end is not None and limit.low <= end[0] and end[1] <= limit.high for limit, end in ends
    ]
    return sum(kept) / len(kept)


def cleared() -> list[str]:
    bench, lines = a_bench(), []
    for words, drawn_rows in CASES.items():
        rng = np.random.default_rng(len(lines))
        before = largest = product = beyond = beyond_before = within = some_open = 0.0
        for _ in range(DRAWS):
            rows, grounds = drawn_rows(rng)
            sizes = np.bincount(grounds[0].codes)
            old = judged(bench, rows, grounds, {"ground": grounds[0].levels[int(sizes.argmax())]})
            new = judged(bench, rows, grounds)
            before += _share_within(old, "simultaneous")
            largest += _share_within(old, "plain")
            product += _share_within(new, "plain")
            beyond_before += bool({Standing.OUTSIDE, Standing.NEAR} & set(old.draft.standings()))
            beyond += bool({Standing.OUTSIDE, Standing.NEAR} & set(new.draft.standings()))
            within += new.whole is Standing.WITHIN and new.draft.open() == 0
            some_open += new.whole is Standing.WITHIN and new.draft.open() > 0
        told = (before, largest, product, beyond_before, beyond, within, some_open)
        lines.append(f"| {words} | " + " | ".join(f"{100 * one / DRAWS:.0f} %" for one in told) + " |")
    return lines


def split() -> list[str]:
    """Groups in two halves, selected at two rates: how often each estimate is outside."""
    bench, lines = a_bench(), []
    for low, high in ((0.35, 0.50), (0.38, 0.47), (0.40, 0.45), (0.42, 0.42)):
        rng = np.random.default_rng(round(100 * low))
        single = apart = 0
        for _ in range(DRAWS):
            codes = rng.integers(0, 10, ROWS)
            selected = rng.random(ROWS) < np.where(codes < 5, low, high)
            outcomes = rng.random(ROWS) < 0.4
            rows = Scored(key="split", outcomes=outcomes, scores=selected.astype(float), threshold=0.5)
            found = judged(bench, rows, [Ground("ground", tuple(f"level {place}" for place in range(10)), codes)])
            draft = found.draft
            of_rate = [one for one in found.flat if one.criterion.measure == "selection_rate"]
            single += any(
                draft.standing(place) is Standing.OUTSIDE for one in of_rate for _, place in one.judged(draft)
            )
            apart += any(
                draft.standing(one.place) is Standing.OUTSIDE
                for one in found.omnibus
                if one.criterion.measure == "selection_rate"
            )
        ratio = f"{low / high:.2f}"
        lines.append(
            f"| five groups at {low:.2f}, five at {high:.2f} | {ratio} | {100 * single / DRAWS:.0f} % | "
            f"{100 * apart / DRAWS:.0f} % |"
        )
    return lines


# Planted disparities.


def people(rng: np.random.Generator, planted: str, share: float = 1.0, n: int = 4_000) -> Subject:
    """Rows of two grounds, in which a model learns to pass over that share of some people, or nobody."""
    sex, age = rng.choice(["f", "m"], n), rng.choice(["young", "old"], n, p=[0.65, 0.35])
    x, z = rng.normal(size=n), rng.normal(size=n)
    harmed = {
        "a ground": age == "old",
        "a pair": (age == "old") & (sex == "f"),
        "a proxy": age == "old",
        "nothing": np.zeros(n, dtype=bool),
    }[planted]
    harmed &= rng.random(n) < share
    # The trace by which the model knows them: it lowers their scores, not their outcomes.
    trace = rng.normal(size=n) + (2.0 if planted == "a proxy" else 3.0) * harmed
    risk = 1.1 * x - 0.8 * z - 0.4
    # A share of those harmed truly have what the trace stands for, unseen by any other column.
    outcomes = rng.random(n) < 1 / (1 + np.exp(-np.where(harmed, 0.3 * risk - 0.9, risk)))
    cells: dict[str, list[str]] = {
        "sex": sex.tolist(),
        "age": age.tolist(),
        "x": [f"{value:.4f}" for value in x],
        "z": [f"{value:.4f}" for value in z],
        "trace": [f"{value:.4f}" for value in trace],
        "y": ["yes" if one else "no" for one in outcomes],
    }
    columns: tuple[Column, ...] = tuple(column_from_text(name, values) for name, values in cells.items())
    recipe = Recipe.model_validate(
        {"family": "gradient_boosting", "settings": {"trees": 40, "depth": 3, "learning_rate": 0.15}, "threshold": 0.4}
    )
    roles = Roles(target="y", protected=("sex", "age"))
    return Subject(Table(columns), roles, recipe, (), "drawn")


CHECKS = ("groups", "combinations", "proxies")


def exhibits(subject: Subject) -> dict[str, Exhibit]:
    plan = standard_plan(3, given_parts=False).model_copy(update={"checks": CHECKS})
    return {one.check: one for one in retest(Bench(subject, plan))}


def _outside(found: Exhibit, group: dict[str, str]) -> bool:
    """Whether that group, as such or as the reference of the others, stands outside."""
    return any(
        one.standing is Standing.OUTSIDE
        and (one.group == group or (one.versus is not None and one.versus.group == group))
        for one in found.estimates
    )


def _named_worse(found: Exhibit, levels: tuple[str, ...]) -> bool:
    return any(
        group.levels == levels and group.worse
        for chart in found.charts
        if chart.kind == "combinations"
        for one in chart.combinations
        for group in one.groups
    )


def _any_worse(found: Exhibit) -> bool:
    return any(
        group.worse
        for chart in found.charts
        if chart.kind == "combinations"
        for one in chart.combinations
        for group in one.groups
    )


FOUND: dict[str, tuple[str, Callable[[dict[str, Exhibit]], bool]]] = {
    "a ground": ("the group is outside, by itself", lambda e: _outside(e["groups"], {"age": "old"})),
    "a pair": (
        "the pair is told to be worse off than either ground alone would make it",
        lambda e: _named_worse(e["combinations"], ("f", "old")),
    ),
    "a proxy": (
        "the feature is named as a proxy that the model leans on",
        lambda e: "Trace goes with age" in e["proxies"].answer and "leans on it" in e["proxies"].answer,
    ),
    "nothing": (
        "anything at all is outside, or told to be worse off, or named as a proxy",
        lambda e: (
            any(one.standing is Standing.OUTSIDE for one in e.values())
            or _any_worse(e["combinations"])
            or ("goes with" in e["proxies"].answer.split(".")[0] and not e["proxies"].answer.startswith("No feature"))
        ),
    ),
}


def planted() -> list[str]:
    lines = []
    for what, (words, is_found) in FOUND.items():
        for share in SHARES if what != "nothing" else (1.0,):
            rng = np.random.default_rng(len(what))
            times = sum(is_found(exhibits(people(rng, what, share))) for _ in range(REPETITIONS))
            harmed = "–" if what == "nothing" else f"{100 * share:.0f} %"
            lines.append(f"| {what} | {harmed} | {words} | {times} of {REPETITIONS} |")
    return lines


_TRUE_ROWS = 60_000


def there() -> list[str]:
    """What is truly there of a planted disparity, from many rows, and how far 4 000 rows are from seeing it."""
    lines = []
    for what, check, group in (("a ground", "groups", {"age": "old"}), ("a pair", "combinations", _OLD_WOMEN)):
        for share in SHARES:
            found = exhibits(people(np.random.default_rng(5), what, share, _TRUE_ROWS))[check]
            of_group = {one.measure: one for one in found.estimates if one.limit and one.group == group}
            ratio = of_group["selection_rate_ratio"].value or 0.0
            missed = of_group["true_positive_rate_difference"]
            value, positives = missed.value or 0.0, missed.n * 4_000 / _TRUE_ROWS
            error = float(np.sqrt(0.25 / positives))
            lines.append(
                f"| {what} | {100 * share:.0f} % | {ratio:.2f} | {100 * value:.0f} points | {positives:.0f} | "
                f"{(-value - 0.1) / error:.1f} |"
            )
    return lines


_OLD_WOMEN = {"sex": "f", "age": "old"}

TEXT = """# The fairness audit: speed, false alarms, and what it finds

Written by `make bench` (benchmarks/fairness.py): one process, one thread on both sides.

## Speed
| work | against | Brookfall | the other | ratio | aim |
| --- | --- | --- | --- | --- | --- |
{speed}

Counts of all groups are resampled as one multinomial over the joint cells of group and outcome, never row by row; AUC
comes from one sort a group (DeLong). Both sides make groups of the same rows.

## A perfectly fair model
{simulations:,} simulations each, with the default harms and limits: scores are the true probabilities, groups have
nothing to do with them. Aim: something outside in at most 5 %, near or outside in at most 10 %. The last two columns
are the coverage of the 95 % intervals of single comparisons, and of all simultaneous ones of a simulation together.

| rows | something outside | something near or outside | 95 % intervals that hold the truth | all simultaneous ones do |
| --- | --- | --- | --- | --- |
{alarms}

## Fair rows in 20 groups: what is cleared
{draws} draws of {rows:,} rows each, by the ratio of shares selected and the differences of TPR and FPR (where FPR is
rare, its ratio). The rules before: against the largest group, and within by the simultaneous interval; then each by its
own interval (intersection-union); then, as it is now, against everyone else. "Near or outside" is of anything.
The last two columns are how often the whole exhibit stands within, with nothing open or with small groups open, its
omnibus estimates among what is judged.

| fair rows | within before | each by its own | within now | near or outside | and now | all within | some open |
| --- | --- | --- | --- | --- | --- | --- | --- |
{cleared}

## A split down the middle
{draws} draws of {rows:,} rows in ten groups of about one size. Each group against everyone else can't show it; the
omnibus estimate (a typical low group over a typical high one, noise taken off) can.

| shares selected | their ratio | a group is outside | the omnibus estimate is outside |
| --- | --- | --- | --- |
{split}

## Planted disparities
{repetitions} data sets each of 4 000 rows, boosted trees, the standard plan of tier 3. Planted is a group whose scores
rest on a trace of who they are; what counts as found is said beside it.

| planted in | of whom are harmed | found when | found |
| --- | --- | --- | --- |
{planted}

What is truly there, from 60 000 rows each, and how far beyond its limit of 10 points the difference of TPR lies in
standard errors of 4 000 rows. An honest test that one of many is outside needs about 3 of them to be sure and 4 to be
found in four of five: of the 40 % these rows can't show more, by any method that keeps its false alarms; at 20 % what
is planted lies within the limits.

| planted in | of whom are harmed | ratio of selection | difference of TPR | positives of 4 000 | beyond the limit by |
| --- | --- | --- | --- | --- | --- |
{there}
"""


def main() -> None:
    with threadpool_limits(1):
        parts = {
            "speed": speed(),
            "alarms": alarms(),
            "cleared": cleared(),
            "split": split(),
            "planted": planted(),
            "there": there(),
        }
    page = TEXT.format(
        simulations=SIMULATIONS,
        repetitions=REPETITIONS,
        draws=DRAWS,
        rows=ROWS,
        **{name: "\n".join(lines) for name, lines in parts.items()},
    )
    PAGE.write_text(page, encoding="utf-8")
    print(page)


if __name__ == "__main__":
    main()
