"""Calibration: whether a score of 20 % means 20 %, in the large and along the scores; judged on unseen rows.

Of yes and no, and of each class against the rest: observed over expected and the calibration slope are judged. Beside
them stand a flexible curve with its band, how far it lies from the scores (ICI and E90), the scaled Brier score,
Spiegelhalter's test, Hosmer and Lemeshow's, which is shown and not judged, and a binomial test of each band of scores.
Of numbers: the mean error in standard deviations of the outcome, and the slope of the outcome on the prediction.
What is judged is out of fold where there are folds; the test part stands beside. A score that is no probability is not
judged here.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from brookfall.core.check.bench import RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, both_ends, lower_limit, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.evidence.marks import Axis, Band, LineThrough, Mark, MarksChart, Points
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import what_would_settle, worst
from brookfall.core.measure import curves
from brookfall.core.measure.calibration_curve import FlexibleCurve, distances_to_curve, flexible_curve
from brookfall.core.measure.calibration_tests import hosmer_lemeshow, score_bands, spiegelhalter, why_no_test
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import NOT_PROBABILITIES, Figure, absent
from brookfall.core.measure.paired_tests import Test
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.scored import AnyScored, Picked, Scored, ScoredClasses, ScoredNumbers

_NO_PROBABILITY = "The scores leave 0 to 1, so they are no probabilities and can't be held against shares."
_IN_THE_LARGE = {
    "binary": "observed_over_expected",
    "multiclass": "observed_over_expected",
    "choice": "observed_over_expected",
    "number": "mean_error_in_sd",
}
_SLOPE = "calibration_slope"
_SHOWN = ("calibration_intercept", "expected_calibration_error", "scaled_brier")
_PICTURES = 6


@dataclass(frozen=True)
class _Side:
    """What is held against its own scores: one class of a model on one part, or its numbers. ``judged``: by these
    rows; else they stand beside."""

    model: str
    part: str
    rows: Scored | ScoredNumbers
    judged: bool
    class_: str | None = None

    @cached_property
    def curve(self) -> FlexibleCurve | str:
        """The flexible curve of probabilities; why there is none."""
        return flexible_curve(self.rows) if isinstance(self.rows, Scored) else NOT_PROBABILITIES


@dataclass(frozen=True)
class _Told:
    """A side with the places of the two estimates that are judged where it is."""

    side: _Side
    in_the_large: int
    slope: int


class Calibration(Check):
    name = "calibration"
    title = "Calibration"
    question = 3
    source = (
        "Cox 1958 (slope and intercept); Austin & Steyerberg 2019 (curve, ICI); Spiegelhalter 1986; "
        "Hosmer & Lemeshow 1980."
    )
    outcomes = ANY_OUTCOME
    reads = Reads(plan=("policy.observed_over_expected", "policy.calibration_slope", "policy.mean_error_in_sd"))

    def sentence(self, about: About) -> Sentence:
        slope_low = lower_limit(about, "calibration_slope", "Lowest slope of all rows", 10)
        slope_high = upper_limit(about, "calibration_slope", "Highest slope of all rows", 10)
        if about.number:
            return say(
                "Hold the outcomes against the predictions: the mean error, and the slope of one on the other.",
                "limit: mean error within {error} SD, slope {slope_low} to {slope_high}",
                error=both_ends(about, "mean_error_in_sd", "Limit on the mean error, in SDs of the outcome", 10),
                slope_low=slope_low,
                slope_high=slope_high,
            )
        return say(
            "Hold the outcomes against the scores, read as probabilities: as many as expected, and along the scores.",
            "limit: observed over expected {low} to {high}, slope {slope_low} to {slope_high}",
            low=lower_limit(about, "observed_over_expected", "Lowest observed over expected", 10),
            high=upper_limit(about, "observed_over_expected", "Highest observed over expected", 10),
            slope_low=slope_low,
            slope_high=slope_high,
        )

    def requests(self, bench: Bench) -> list[Need]:
        if RECIPE not in bench.models:
            return bench.artifact_needs
        return [bench.submitted.holdout, *bench.submitted.out_of_fold_needs, *bench.artifact_needs]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        models = bench.models_of(ledger)
        sides = [side for model in models for side in _sides(bench, ledger, model)]
        if not any(side.judged for side in sides):
            return not_applicable(_NO_PROBABILITY)
        draft = Draft(bench.plan.policy.level)
        told = [_told(bench, draft, side) for side in sides]
        judged = [one for one in told if one.side.judged]
        tables = []
        for one in told:
            tables.append(_table(bench, draft, one))
            rows = one.side.rows
            if one.side.judged and isinstance(rows, Scored) and why_no_test(rows) is None:
                tables.append(_bands(bench, draft, one.side, rows))
        series: dict[str, Series] = {}
        charts = [_chart(bench, draft, one.side, series) for one in _worst_first(draft, judged)[:_PICTURES]]
        return draft.write(
            _answer(bench, draft, judged),
            lines=_lines(bench, draft, judged, models),
            charts=tuple(charts),
            series=series,
            tables=tuple(tables),
        )


def _sides(bench: Bench, ledger: Ledger, model: str) -> Iterator[_Side]:
    """What decides first, then the test part where it is another."""
    if model == RECIPE:
        parts = [bench.submitted.out_of_fold(ledger)]
        if "test" in bench.split.parts:
            parts.append(bench.submitted.scored(ledger, "test"))
    else:
        parts = [bench.deciding(ledger, model)]
    for place, part in enumerate(parts):
        rows, _ = part.scored.usable()
        for class_, one in _one_by_one(rows):
            yield _Side(model, part.part, one, judged=place == 0, class_=class_)


def _one_by_one(rows: AnyScored) -> Iterator[tuple[str | None, Scored | ScoredNumbers]]:
    """The rows as they are, or class by class; nothing where scores are no probabilities."""
    if isinstance(rows, ScoredNumbers):
        yield None, rows
    elif isinstance(rows, Picked):
        yield from ((name, rows.against_rest(place)) for place, name in enumerate(rows.alternatives))
    elif rows.lacks("probability") is None:
        if isinstance(rows, ScoredClasses):
            yield from ((label, rows.against_rest(place)) for place, label in enumerate(rows.classes))
        else:
            yield None, rows


def _limits(bench: Bench) -> tuple[Limit, Limit]:
    policy = bench.plan.policy
    number = bench.subject.outcome == "number"
    return policy.mean_error_in_sd if number else policy.observed_over_expected, policy.calibration_slope


def _told(bench: Bench, draft: Draft, side: _Side) -> _Told:
    names = (_IN_THE_LARGE[bench.subject.outcome], _SLOPE)
    large, slope = (
        draft.add(
            name,
            measure(name, side.rows),
            model=side.model,
            part=side.part,
            class_=side.class_,
            limit=limit if side.judged else None,
        )
        for name, limit in zip(names, _limits(bench), strict=True)
    )
    return _Told(side, large, slope)


def _titled(bench: Bench, side: _Side) -> str:
    class_ = "" if side.class_ is None else f", '{side.class_}' against the rest"
    return f"{side.part.replace('_', '-')} {bench.subject.unit}s{class_}{pictures.of_model(side.model, bench)}"


def _table(bench: Bench, draft: Draft, told: _Told) -> TableView:
    """The judged figures of one side, and of probabilities the curve's distance and the tests, with their p."""
    side, none = told.side, text("")

    def add(quantity: str, figure: Figure) -> int:
        return draft.add(quantity, figure, model=side.model, part=side.part, class_=side.class_)

    places = [(place, none) for place in (told.in_the_large, told.slope)]
    if isinstance(side.rows, Scored):
        places += [(add(name, measure(name, side.rows)), none) for name in _SHOWN]
        mean, ninetieth = distances_to_curve(side.rows, side.curve)
        places += [(add("ici", mean), none), (add("e90", ninetieth), none)]
        for test in (spiegelhalter, hosmer_lemeshow):
            statistic, p = _tested(test, side.rows)
            place = add(_TESTS[test], statistic)
            places.append((place, none if p is None else at(draft.add_like(place, "p_value", p))))
    return TableView(
        title=f"On {_titled(bench, side)}{'' if side.judged else ', shown beside'}",
        columns=("figure", "value", "p"),
        rows=tuple((text(wording.capital(words_of(draft.quantity(place)))), at(place), p) for place, p in places),
    )


_TESTS: dict[Callable[[Scored], Test], str] = {spiegelhalter: "spiegelhalter_z", hosmer_lemeshow: "hosmer_lemeshow"}


def _tested(test: Callable[[Scored], Test], rows: Scored) -> tuple[Figure, Figure | None]:
    """A statistic and its p; the statistic absent with the reason, and no p, where there is none."""
    n, problem = len(rows), why_no_test(rows)
    if problem is not None:
        return absent(n, problem), None
    found = test(rows)
    if found.statistic is None:
        return absent(n, "too few bands of scores can be told apart"), None
    statistic = Figure(found.statistic, n, found.method, note="a test statistic has no interval; its p stands beside")
    return statistic, Figure(found.p, n, note="a p value has no interval")


def _bands(bench: Bench, draft: Draft, side: _Side, rows: Scored) -> TableView:
    bands = score_bands(rows)
    wrong = sum(band.p_holm < 1 - draft.level for band in bands)
    told = f"{wrong} of {len(bands)} differ from their scores (Holm)"
    return TableView(
        title=f"Bands of scores on {_titled(bench, side)}; {told}",
        columns=("scores from", "to", "rows", "observed", "expected", "p", "p (Holm)"),
        rows=tuple(
            tuple(
                text(cell)
                for cell in (
                    wording.number(band.low),
                    wording.number(band.high),
                    wording.count(band.n),
                    wording.count(band.events),
                    wording.number(band.expected, 1),
                    wording.p_value(band.p).removeprefix("p "),
                    wording.p_value(band.p_holm).removeprefix("p "),
                )
            )
            for band in bands
        ),
    )


def _chart(bench: Bench, draft: Draft, side: _Side, series: dict[str, Series]) -> MarksChart:
    key = "/".join(one for one in ("calibration", side.model, side.part, side.class_) if one)
    marks: list[Mark] = []
    if isinstance(side.rows, ScoredNumbers):
        series[f"{key}/bins"] = curves.predicted_observed(side.rows)
        ends = [float(end) for end in (side.rows.predictions.min(), side.rows.predictions.max())]
        marks.append(Points(series=f"{key}/bins", label="tenths of the prediction", colour=side.part))
        axes = Axis(label="mean prediction"), Axis(label="mean outcome")
    else:
        curve = side.curve
        series[f"{key}/bins"] = curves.calibration(side.rows, draft.level)
        highest = [float(side.rows.scores.max()), *(end or 0.0 for end in series[f"{key}/bins"]["high"])]
        if not isinstance(curve, str):
            band = curve.ends(draft.level)
            columns = {"x": curve.at, "y": curve.rate} | ({} if band is None else {"low": band[0], "high": band[1]})
            series[f"{key}/curve"] = {
                name: [round(float(value), 6) for value in values] for name, values in columns.items()
            }
            highest += (curve.rate if band is None else band[1]).tolist()
            marks += [Band(series=f"{key}/curve", colour=side.part)] if band is not None else []
            marks.append(LineThrough(series=f"{key}/curve", label="flexible curve", colour=side.part))
        marks.append(Points(series=f"{key}/bins", low="low", high="high", label="tenths of the rows", colour=side.part))
        ends = [0.0, max(highest)]
        axes = Axis(label="score", low=0, high=ends[1]), Axis(label="share of positives", low=0, high=ends[1])
    series[f"{key}/ideal"] = {"x": [*ends], "y": [*ends]}
    marks.insert(0, LineThrough(series=f"{key}/ideal", label="as scored", colour="baseline", dashed=True))
    return MarksChart(title=f"Calibration of {_titled(bench, side)}", x=axes[0], y=axes[1], marks=tuple(marks))


_WORST_FIRST = {Standing.OUTSIDE: 0, Standing.NEAR: 1, Standing.UNSETTLED: 2, None: 3, Standing.WITHIN: 4}


def _worst_first(draft: Draft, told: list[_Told]) -> list[_Told]:
    return sorted(told, key=lambda one: _WORST_FIRST[_standing(draft, one)])


def _standing(draft: Draft, one: _Told) -> Standing | None:
    found = [draft.standing(place) for place in (one.in_the_large, one.slope)]
    return worst([standing for standing in found if standing is not None])


def _answer(bench: Bench, draft: Draft, told: list[_Told]) -> str:
    """Of the worst model or class: the figure that is worst first, then the other."""
    return _of_side(bench, draft, _worst_first(draft, told)[0])


def _lines(bench: Bench, draft: Draft, told: list[_Told], models: Sequence[str]) -> tuple[str, ...]:
    """Every other model and class that is not within, what can't be judged, and what would settle an open one."""
    first, *others = _worst_first(draft, told)
    lines = [_in_short(bench, draft, one) for one in others if _standing(draft, one) is not Standing.WITHIN]
    within = [one.side.class_ for one in others if _standing(draft, one) is Standing.WITHIN and one.side.class_]
    if within:
        lines.append(wording.line_of("Within", [f"'{name}'" for name in within]))
    held = {one.side.model for one in told}
    lines += [
        f"{wording.capital(pictures.MODEL_WORDS[model])}: {NOT_PROBABILITIES}." for model in models if model not in held
    ]
    place, limit = first.slope, draft.limit(first.slope)
    if draft.standing(place) is Standing.UNSETTLED and limit is not None:
        what = f"a slope of {limit.low:g}"
        units, ideal = f"{bench.subject.unit}s", f"{limit.ideal:g}"
        lines.append(what_would_settle(draft.figure(place), limit, draft.level, what, units, ideal))
    return tuple(lines)


def _of_side(bench: Bench, draft: Draft, one: _Told) -> str:
    places = sorted((one.in_the_large, one.slope), key=lambda place: _WORST_FIRST[draft.standing(place)])
    side = one.side
    where = f"on {wording.count(len(side.rows))} {_titled(bench, side)}"
    figures = [f"{words_of(_name(bench, one, place))} {_figure(draft, place)}" for place in places]
    standing = draft.standing(places[0])
    limits = " and ".join(
        dict.fromkeys(draft_limit.words for place in places if (draft_limit := draft.limit(place)) is not None)
    )
    if standing is None:
        return f"Calibration can't be judged {where}: {figures[0]}, {figures[1]}."
    opening = _opening(bench, draft, one, places[0], standing)
    return (
        f"{opening} {where}: {figures[0]} (limits: {limits}). {wording.capital(figures[1])}{_then(draft, places[1])}."
    )


def _in_short(bench: Bench, draft: Draft, one: _Told) -> str:
    """A further model or class in one line: how it stands, by the figure that is worst."""
    place = min((one.in_the_large, one.slope), key=lambda place: _WORST_FIRST[draft.standing(place)])
    standing = draft.standing(place)
    stands = "not judged" if standing is None else "open" if standing is Standing.UNSETTLED else str(standing)
    who = pictures.MODEL_WORDS[one.side.model] if one.side.class_ is None else f"'{one.side.class_}' against the rest"
    return f"{wording.capital(who)}: {words_of(_name(bench, one, place))} {_figure(draft, place)}, {stands}."


def _name(bench: Bench, one: _Told, place: int) -> str:
    return _IN_THE_LARGE[bench.subject.outcome] if place == one.in_the_large else _SLOPE


def _figure(draft: Draft, place: int) -> str:
    figure = draft.figure(place)
    if figure.few and figure.value is not None:
        return f"{wording.number(figure.value, 2)}, of too few rows to judge"
    return draft.said(place, 2)


def _then(draft: Draft, place: int) -> str:
    words = {
        Standing.OUTSIDE: ", beyond its limit too",
        Standing.NEAR: ", near its limit",
        Standing.UNSETTLED: ", which these rows leave open",
        Standing.WITHIN: ", within",
        None: "",
    }
    return words[draft.standing(place)]


def _opening(bench: Bench, draft: Draft, one: _Told, place: int, standing: Standing) -> str:
    """Which way it is wrong, in words; that it isn't, or that these rows can't tell."""
    if standing is Standing.WITHIN:
        return (
            "Predictions can be taken at their word"
            if bench.subject.outcome == "number"
            else "Scores can be read as risks"
        )
    if standing is Standing.UNSETTLED:
        return "Too few rows to tell how well it is calibrated"
    value, limit = draft.figure(place).value or 0.0, draft.limit(place)
    ideal = 1.0 if limit is None or limit.ideal is None else limit.ideal
    above = value > ideal
    hedge = "" if standing is Standing.OUTSIDE else "perhaps "
    if place == one.slope:
        how = "too cautious, its scores too close together" if above else "too sure, its scores too far apart"
        return f"It is {hedge}{how}"
    if bench.subject.outcome == "number":
        return f"Predictions are {hedge}too {'high' if above else 'low'} on average"
    return f"Risk is {hedge}{'understated' if above else 'overstated'}"
