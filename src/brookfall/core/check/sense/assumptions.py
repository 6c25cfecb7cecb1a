"""Assumptions: what an unpenalised regression takes for granted of its rows, and what it changes where it fails.

Whether columns act in a straight line: powers of the prediction (RESET; Pregibon's link test), and column by column
x · ln x (Box & Tidwell). Whether a linear regression's errors spread evenly: Breusch–Pagan, and what the sandwich makes
of the standard errors. Whether a single row decides: Cook's distance, and the coefficients without that row. On the
training rows, each row by itself; nothing of it is judged unless a policy limits Cook's distance.
"""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared.design_matrix import prepared_of
from brookfall.core.evidence.chart import Cell, TableView
from brookfall.core.evidence.marks import Axis, MarksChart, Points, Rule
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.probe.coefficients import has_errors, kept_columns
from brookfall.core.fit.probe.prepared_columns import own_columns
from brookfall.core.fit.request import CoefficientReading, Need
from brookfall.core.foundation import digest, wording
from brookfall.core.measure.assumptions import (
    Bend,
    Deciding,
    Fitted,
    Spread,
    bends,
    deciding_row,
    even_spread,
    powers_of_prediction,
)
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import Test

_MOST_ROWS = 20_000
_DRAWN = 300
_MUCH = 0.5
"""By how many standard errors one row must move a coefficient before it is said to decide (common practice)."""
_NO_ERRORS = "Only an unpenalised regression of a yes/no or of a number is tried so, and this recipe is another."


@dataclass(frozen=True)
class _Found:
    """The regression, the names of its columns, and what each assumption comes to."""

    fitted: Fitted
    names: tuple[str, ...]
    powers: Test
    bends: tuple[Bend, ...]
    spread: Spread | None
    deciding: Deciding
    row: int


class Assumptions(Check):
    name = "assumptions"
    title = "Assumptions"
    question = 7
    source = (
        "Ramsey 1969, Pregibon 1980, Box & Tidwell 1962 (from memory); Breusch & Pagan 1979, Koenker 1981; Cook 1977; "
        "by statsmodels."
    )
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(plan=("policy.limits",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Try what a regression takes for granted: straight lines, even spread, no single row that decides.")

    def requests(self, bench: Bench) -> list[Need]:
        if not has_errors(bench.recipe, bench.subject.outcome):
            return []
        fit = bench.submitted.holdout_fit
        return [Need(fit, CoefficientReading(fit.train))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        needs = self.requests(bench)
        if not needs:
            return not_applicable(_NO_ERRORS)
        if bench.subject.weights is not None or bench.subject.clusters is not None:
            return not_applicable("Rows count differently or come in groups, and these tests take each by itself.")
        read = ledger.scores(needs[0])
        if len(read) > 1 + read.shape[1]:
            return not_applicable("Outcomes are told apart without exception, so there is no likeliest fit to try.")
        found = _found(bench)
        if found is None:
            return not_applicable("No column is left beside the constant.")
        draft = Draft(bench.plan.policy.level)
        return draft.write(
            _answer(draft, found),
            lines=_lines(bench, found),
            charts=_charts(found),
            series=_series(found),
            tables=(_table(bench, draft, found),),
        )


def _found(bench: Bench) -> _Found | None:
    """The regression on its training rows, or so many of them, drawn by the seed."""
    fit = bench.submitted.holdout_fit
    prepared, design = prepared_of(bench, fit)
    features = bench.subject.table.select(bench.subject.features)
    kept = kept_columns(design, own_columns(prepared, features.names), prepared.numbers())
    if not kept:
        return None
    rows = np.arange(len(design))
    if len(rows) > _MOST_ROWS:
        rng = np.random.default_rng(digest.seed_from("assumptions", bench.plan.seed))
        rows = np.sort(rng.choice(rows, _MOST_ROWS, replace=False))
    names = prepared.names(features)
    link = bench.recipe.family
    outcomes = bench.subject.target.values[fit.train][rows].astype(np.float64)
    fitted = Fitted(link, np.column_stack([np.ones(len(rows)), design[rows][:, kept]]), outcomes)  # type: ignore[arg-type]
    numbers = [place + 1 for place, column in enumerate(kept) if column < prepared.numbers()]
    deciding = deciding_row(fitted)
    return _Found(
        fitted,
        ("constant", *(names[column] for column in kept)),
        powers_of_prediction(fitted),
        tuple(bends(fitted, numbers)),
        even_spread(fitted) if link == "linear" else None,
        deciding,
        int(bench.subject.submitted_rows(fit.train[rows[[deciding.row]]])[0]),
    )


# The answer.


def _answer(draft: Draft, found: _Found) -> list[str]:
    """Each assumption that these rows speak against, the straight line first; that none is, where none is."""
    level = 1 - draft.level
    said = []
    bent = [one for one in found.bends if one.p_holm < level]
    if found.powers.p < level or bent:
        named = wording.listed([f"'{found.names[one.column]}'" for one in bent[:3]])
        which = (
            f" {named} act{'s' if len(bent) == 1 else ''} otherwise" if bent else " the prediction's powers add to it"
        )
        said.append(f"Columns don't all act in a straight line:{which} ({_p_of_line(found, bent)}).")
    spread = found.spread
    if spread is not None and spread.test.p < level:
        said.append(
            f"Errors don't spread evenly ({_breusch(spread)}): robust to that, the standard error of "
            f"'{found.names[spread.column]}' is {wording.number(spread.times, 2)} times as large."
        )
    if found.deciding.errors > _MUCH:
        said.append(_row_words(found))
    if said:
        return said
    even = "" if spread is None else ", nor against an even spread"
    return [
        f"Nothing in {wording.rows(len(found.fitted.outcomes))} speaks against straight lines "
        f"({wording.p_value(found.powers.p)}){even}; no single row moves a coefficient by half its standard error."
    ]


def _p_of_line(found: _Found, bent: list[Bend]) -> str:
    if bent:
        return f"Box–Tidwell {wording.p_value(bent[0].p_holm)}, Holm"
    name = "RESET" if found.powers.method == "reset" else "link test"
    return f"{name} {wording.p_value(found.powers.p)}"


def _breusch(spread: Spread) -> str:
    return f"Breusch–Pagan {wording.p_value(spread.test.p)}"


def _row_words(found: _Found) -> str:
    one = found.deciding
    return (
        f"Row {found.row + 1} decides more than one should: without it '{found.names[one.column]}' goes from "
        f"{wording.number(one.before)} to {wording.number(one.after)}, {wording.number(one.errors, 1)} standard errors."
    )


def _lines(bench: Bench, found: _Found) -> tuple[str, ...]:
    lines = []
    if any(one.p_holm < 1 - bench.plan.policy.level for one in found.bends):
        lines.append(
            "A bent column's coefficient is its mean slope alone; see its shape, or give it bands or a logarithm."
        )
    if len(found.fitted.outcomes) == _MOST_ROWS:
        lines.append(f"On {wording.count(_MOST_ROWS)} of the training rows, drawn by the plan's seed.")
    return tuple(lines)


# The picture and the numbers.


def _series(found: _Found) -> dict[str, dict[str, list[float | None]]]:
    """Some rows by their prediction, with how far the outcome lies from it."""
    plain = found.fitted.fit()
    predicted = np.asarray(plain.fittedvalues, dtype=np.float64)
    residual = found.fitted.outcomes - predicted
    order = np.argsort(predicted, kind="stable")
    bins = np.array_split(order, min(20, max(1, len(order) // 10)))
    means = [(float(predicted[one].mean()), float(residual[one].mean()), float(residual[one].std())) for one in bins]
    rows = order[np.unique(np.linspace(0, len(order) - 1, min(_DRAWN, len(order))).round().astype(np.int64))]
    found_rows = {"x": predicted[rows].tolist(), "y": residual[rows].tolist()}
    return {
        "assumptions:rows": {name: [round(value, 6) for value in values] for name, values in found_rows.items()},
        "assumptions:means": {
            "x": [round(x, 6) for x, _, _ in means],
            "y": [round(y, 6) for _, y, _ in means],
            "low": [round(y - sd, 6) for _, y, sd in means],
            "high": [round(y + sd, 6) for _, y, sd in means],
        },
    }


def _charts(found: _Found) -> tuple[MarksChart, ...]:
    points = () if found.spread is None else (Points(series="assumptions:rows", label="rows", colour="baseline"),)
    return (
        MarksChart(
            title="Outcome less prediction, along the prediction",
            x=Axis(label="prediction on training rows"),
            y=Axis(label="outcome − prediction"),
            marks=(
                *points,
                Points(
                    series="assumptions:means",
                    low="low",
                    high="high",
                    label="mean of a twentieth, ± one SD",
                    colour="training",
                ),
                Rule(y=0.0),
            ),
        ),
    )


def _table(bench: Bench, draft: Draft, found: _Found) -> TableView:
    n = len(found.fitted.outcomes)

    def tested(name: str, test: Test, feature: str | None = None) -> tuple[Cell, Cell]:
        place = draft.add(
            name,
            Figure(test.statistic, n, test.method, note="a test statistic has no interval"),
            part="training",
            feature=feature,
        )
        return at(place), at(draft.add_like(place, "p_value", Figure(test.p, n, note="a p value has no interval")))

    reset = (
        "RESET, square and cube of the prediction"
        if found.powers.method == "reset"
        else "Link test, the square of the prediction"
    )
    rows: list[tuple[Cell, ...]] = [(text(reset), *tested(found.powers.method, found.powers))]
    rows += [
        (
            text(f"Box–Tidwell, {found.names[one.column]} (p by Holm)"),
            text("–"),
            text(wording.p_value(one.p_holm).removeprefix("p ")),
        )
        for one in found.bends
    ]
    if found.spread is not None:
        rows.append((text("Breusch–Pagan, studentised"), *tested("breusch_pagan", found.spread.test)))
        times = Figure(found.spread.times, n, note="a ratio of two standard errors, with no interval")
        name = found.names[found.spread.column]
        rows.append(
            (
                text(f"Robust over usual standard error, {name}"),
                at(draft.add("robust_error_ratio", times, part="training", feature=name)),
                text(""),
            )
        )
    cook = Figure(found.deciding.distance, n, note="of one row, with no interval")
    limit = bench.plan.policy.limits.get(Assumptions.name)
    rows.append(
        (
            text(f"Largest Cook's distance, row {found.row + 1}"),
            at(draft.add("cooks_distance", cook, part="training", limit=limit)),
            text(""),
        )
    )
    return TableView(
        title=f"On {wording.rows(n)} of training", columns=("what was tried", "figure", "p"), rows=tuple(rows)
    )
