"""Coefficients: estimates with intervals, signs against what is expected, and how far columns repeat each other."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.design_matrix import prepared_of
from brookfall.core.check.shared.expected_signs import SIGNS, of_signs
from brookfall.core.evidence.chart import Cell, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.probe.coefficients import has_errors, kept_columns
from brookfall.core.fit.probe.prepared_columns import own_columns
from brookfall.core.fit.request import CoefficientReading, Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.figure import Figure, Interval, quantile_ends, turned_ends
from brookfall.core.measure.paired_tests import holm
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.wald import Coefficients
from brookfall.core.recipe.families import family_of
from brookfall.core.resample.bootstrap import drawn_again

_RATIO = {"logistic": "odds_ratio", "poisson": "rate_ratio", "gamma": "mean_ratio"}
_FAR_REPEATED = 10.0
_FEWEST = 10
_NAMED = 4


class CoefficientCheck(Check):
    name = "coefficients"
    title = "Coefficients"
    question = 7
    source = (
        "Maximum likelihood with Wald intervals, the sandwich where rows are weighted or grouped (White 1980); Holm "
        "1979 for p; percentile bootstrap where the fit is penalised; variance inflation: common practice."
    )
    refits = True
    reads = Reads(plan=("shuffles",), subject=("expectations",))

    def sentence(self, about: About) -> Sentence:
        return say(
            f"Give every coefficient with its interval ({about.plan.shuffles} resamples where the fit is penalised), "
            "and its sign against what is expected.",
            "limit: no sign contrary to what is expected",
        )

    def requests(self, bench: Bench) -> list[Need]:
        family = family_of(bench.recipe)
        if family.straight is None:
            raise UserError(
                f"{wording.capital(family.words)} has no coefficients.", todo="Read its influence and shape."
            )
        fit = bench.submitted.holdout_fit
        needs = [Need(fit, CoefficientReading(fit.train))]
        if not has_errors(bench.recipe, bench.subject.outcome):
            needs += [
                # Prepared as the whole part is, so that a level that a resample lacks has its column all the same.
                Need(replace(bench.fit(rows), prepared_on=bench.split.parts["training"]), CoefficientReading(rows))
                for rows in _resamples(bench)
            ]
        return needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        read = [ledger.scores(need) for need in self.requests(bench)]
        columns = _Columns(bench)
        separated: list[str] = []
        if has_errors(bench.recipe, bench.subject.outcome):
            lines = _likely(draft, bench, columns, read[0])
            separated = _separated(columns, read[0])
        else:
            lines = _penalised(draft, bench, columns, np.stack([one[0] for one in read]))
        ranked = sorted((line for line in lines if line.name != "constant"), key=lambda line: -abs(line.spread))
        strip = pictures.ranking(
            "Coefficients, the one that moves the prediction most first",
            "Coefficient",
            [(line.words, line.place, "recipe") for line in ranked],
        )
        signs = [(line.words, line.place) for line in lines if line.expected]
        answer = _answer(bench, draft, lines, signs, columns)
        return draft.write(
            [*answer[:2], *_of_separation(separated), *answer[2:]],
            charts=(strip,),
            tables=(_table(bench, lines, columns, separated=bool(separated)),),
        )


def _resamples(bench: Bench) -> list[Rows]:
    """The training part drawn again, as often as the plan shuffles."""
    rows, clusters = bench.split.parts["training"], bench.subject.clusters
    groups = None if clusters is None else clusters[rows]
    return drawn_again(rows, groups, "coefficients", bench.plan.seed, bench.plan.shuffles)


class _Columns:
    """The prepared columns of the training part, and which of them have a coefficient of their own."""

    def __init__(self, bench: Bench) -> None:
        prepared, self.design = prepared_of(bench, bench.submitted.holdout_fit)
        features = bench.subject.table.select(bench.subject.features)
        self.names = prepared.names(features)
        self._own = own_columns(prepared, features.names)
        self._numbers = prepared.numbers()

    @cached_property
    def kept(self) -> list[int]:
        return kept_columns(self.design, self._own, self._numbers)

    @cached_property
    def left_out(self) -> list[str]:
        """Reference levels, constants, and what repeats other columns."""
        return [name for place, name in enumerate(self.names) if place not in self.kept]

    @cached_property
    def inflation(self) -> dict[int, float]:
        """How many times the variance of each kept coefficient is what it would be alone."""
        if len(self.kept) < 2:
            return dict.fromkeys(self.kept, 1.0)
        inverse = np.linalg.inv(np.corrcoef(self.design[:, self.kept], rowvar=False))
        return dict(zip(self.kept, np.diag(inverse).tolist(), strict=True))


@dataclass(frozen=True)
class _Line:
    """A coefficient: its column, the place of its estimate and of what goes with it, and what it moves by one SD."""

    name: str
    words: str
    place: int
    spread: float
    expected: str | None = None
    ratio: int | None = None
    error: int | None = None
    z: float | None = None
    p: int | None = None
    p_holm: int | None = None
    inflation: int | None = None


def _expected(bench: Bench) -> dict[str, str]:
    return {one.feature: one.sign for one in bench.subject.expectations}


def _likely(draft: Draft, bench: Bench, columns: _Columns, read: NDArray[np.float64]) -> list[_Line]:
    names = ("constant", *(columns.names[place] for place in columns.kept))
    method = "firth" if _separated(columns, read) else "wald"
    found = Coefficients(names, read[0], read[1 : 1 + len(names)], len(columns.design), method)
    # A constant is no question that was asked: it has its own p, and takes no part in Holm's.
    adjusted = holm(np.array([found.p_value(place) for place in range(1, len(names))]))
    expected, lines = _expected(bench), []
    for place, name in enumerate(names):
        sign = expected.get(name)
        column = None if place == 0 else columns.kept[place - 1]
        figure = found.figure(place)
        at_ = draft.add(
            "coefficient", figure, part="training", feature=name, limit=None if sign is None else SIGNS[sign]
        )
        ratio = _RATIO.get(bench.recipe.family)
        inflation = None
        if column is not None and np.isfinite(columns.inflation[column]):
            known = Figure(columns.inflation[column], found.n, note="computed from the columns, not estimated")
            inflation = draft.add("variance_inflation", known, part="training", feature=name)
        alone = Figure(found.p_value(place), found.n, note="a p value has no interval")
        p = draft.add("coefficient", alone, comparison="p_value", part="training", feature=name)
        together = None
        if place:
            of_all = Figure(float(adjusted[place - 1]), found.n, "holm", note="a p value has no interval")
            together = draft.add("coefficient", of_all, comparison="p_value_holm", part="training", feature=name)
        error = Figure(found.error(place), found.n, note="half the width of the interval, over 1.96")
        lines.append(
            _Line(
                name,
                name,
                at_,
                0.0 if column is None else float(found.estimates[place]) * float(columns.design[:, column].std()),
                sign,
                None if ratio is None else draft.add(ratio, figure.mapped(_exp), part="training", feature=name),
                draft.add("standard_error", error, part="training", feature=name),
                float(found.estimates[place]) / found.error(place),
                p,
                together,
                inflation,
            )
        )
    return lines


def _separated(columns: _Columns, read: NDArray[np.float64]) -> list[str]:
    """The columns that separate the outcomes, so that their coefficients have no end."""
    names = ("constant", *(columns.names[place] for place in columns.kept))
    if len(read) == 1 + len(names):
        return []
    return [name for name, separates in zip(names, read[-1], strict=True) if separates and name != "constant"]


def _of_separation(separated: list[str]) -> tuple[str, ...]:
    if not separated:
        return ()
    named = wording.listed([f"'{name}'" for name in separated[:_NAMED]])
    more = f" and {len(separated) - _NAMED} more" if len(separated) > _NAMED else ""
    verb = "tells" if len(separated) == 1 else "tell"
    whose = "its coefficient has" if len(separated) == 1 else "their coefficients have"
    return (
        f"{named}{more} {verb} outcomes apart without exception on training rows, so {whose} no end by likelihood.",
        "Firth's penalised fit is shown instead; its Wald intervals take rows as independent and are rather narrow.",
    )


def _exp(value: float) -> float:
    return float(np.exp(min(value, 700.0)))


def _penalised(draft: Draft, bench: Bench, columns: _Columns, read: NDArray[np.float64]) -> list[_Line]:
    """``read`` (1 + resamples, coefficients): the fitted ones first, then those of every resample."""
    classes, n = bench.subject.target.classes, len(columns.design)
    several = read.shape[1] > len(columns.names)
    expected, lines = _expected(bench), []
    for place in range(read.shape[1]):
        column = place % len(columns.names)
        name = columns.names[column]
        class_ = classes[place // len(columns.names)] if several else None
        sign = None if several else expected.get(name)
        at_ = draft.add(
            "coefficient",
            _resampled(read[:, place], n),
            part="training",
            feature=name,
            class_=class_,
            limit=None if sign is None else SIGNS[sign],
        )
        words = name if class_ is None else f"{name}, {class_}"
        lines.append(_Line(name, words, at_, float(read[0, place]) * float(columns.design[:, column].std()), sign))
    return lines


def _resampled(values: NDArray[np.float64], n: int) -> Figure:
    drawn = values[1:][np.isfinite(values[1:])]
    if len(drawn) < _FEWEST:
        return Figure(float(values[0]), n, note="its class is in too few resamples for an interval")
    return Figure(float(values[0]), n, "bootstrap", Interval(quantile_ends, drawn))


def _table(bench: Bench, lines: list[_Line], columns: _Columns, *, separated: bool) -> TableView:
    n, steps = wording.rows(len(columns.design)), bench.recipe.preprocess
    scaled = "" if steps.scale == "none" else f"; numbers are scaled ({steps.scale})"
    none = text("–")

    def cell(place: int | None) -> Cell:
        return none if place is None else at(place)

    if lines and lines[0].error is not None:
        ratio = _RATIO.get(bench.recipe.family)
        return TableView(
            title=f"Coefficients on {n} of training; {'Firth, ' if separated else ''}Wald intervals{scaled}",
            columns=(
                "column",
                "coefficient",
                "SE",
                "z",
                "p",
                "p (Holm)",
                *((words_of(ratio),) if ratio else ()),
                "expected",
                "VIF",
            ),
            rows=tuple(
                (
                    text(line.words),
                    at(line.place),
                    cell(line.error),
                    text(wording.number(line.z, 2)),
                    cell(line.p),
                    cell(line.p_holm),
                    *((cell(line.ratio),) if ratio else ()),
                    text(line.expected or "–"),
                    cell(line.inflation),
                )
                for line in lines
            ),
        )
    return TableView(
        title=f"Coefficients on {n} of training; the fit is penalised or of several classes, so there are no standard "
        f"errors and no p: intervals by {bench.plan.shuffles} resamples{scaled}",
        columns=("column", "coefficient", "expected"),
        rows=tuple((text(line.words), at(line.place), text(line.expected or "–")) for line in lines),
    )


def _answer(
    bench: Bench, draft: Draft, lines: list[_Line], signs: list[tuple[str, int]], columns: _Columns
) -> list[str]:
    said = [of_signs(draft, signs, len(lines))]
    moving = [line for line in lines if line.name != "constant"]
    if moving:
        first = max(moving, key=lambda line: abs(line.spread))
        figure = draft.figure(first.place)
        way = "raises" if (figure.value or 0) > 0 else "lowers"
        said.append(
            f"By its spread over rows, '{first.words}' moves the prediction most: one unit {way} it by "
            f"{wording.figure_to(figure if (figure.value or 0) > 0 else _turned(figure), draft.level)}"
            f"{' on the scale of log odds' if bench.recipe.family in ('logistic', 'discriminant') else ''}."
        )
    if lines and lines[0].error is not None:
        repeated = [
            line.words
            for line in lines
            if line.inflation is not None and (draft.figure(line.inflation).value or 0) > _FAR_REPEATED
        ]
        if repeated:
            said.append(wording.line_of(f"Largely repeat others, so shaky (VIF over {_FAR_REPEATED:g})", repeated))
        if columns.left_out:
            said.append(wording.line_of("Read against, or left out as constant or repeating others", columns.left_out))
    return said


def _turned(figure: Figure) -> Figure:
    """The figure with its sign turned: what is lowered by."""
    if figure.value is None or figure.bounds is None:
        return figure
    ends = Interval(turned_ends, figure.bounds)
    return Figure(-figure.value, figure.n, figure.method, ends, figure.note, figure.few)
