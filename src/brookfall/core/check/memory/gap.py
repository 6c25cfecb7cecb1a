"""Gap: the training score against the unseen score on one strip, with an interval on the distance.

Where there are folds, each fit's score of its own training rows is set against that of the rows it was kept from: the
interval of the mean over folds is of the recipe and holds the variance of refitting it. Against a test part the gap is
of the one model that was fitted for it. Both estimate nearly the same: the one with the narrower interval is judged,
the other where it is beyond the limit and the first is not. The limit goes by the measure: of a loss it is a share of
the unseen value. A family that reproduces its training rows by construction is not judged by this.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from brookfall.core.check.bench import OUT_OF_FOLD, RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.refits import over_folds, overlap_of
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, Wanted, WithoutItselfReading
from brookfall.core.foundation import wording
from brookfall.core.judge.policy import Policy
from brookfall.core.judge.standing import stand, what_would_settle
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import corrected_difference, corrected_mean, values_of
from brookfall.core.measure.registry import forms, lower_is_better, measure, named, words_of
from brookfall.core.measure.scored import AnyScored, Numbers
from brookfall.core.recipe.families import family_of, resolved_settings

_ONE_PART = "The supplied scores are of one part alone, so training can't be set against unseen rows."
_IN_THE_FOLDS = "training_in_the_folds"


@dataclass(frozen=True)
class _Folds:
    """What every fold's fit scores on its own training rows and on the rows it was kept from; both (folds,), NaN where
    there is none. ``few``: the held-out rows together are too few to judge."""

    seen: Numbers
    unseen: Numbers
    n: int
    overlap: float
    few: bool

    def figures(self, name: str) -> tuple[Figure, Figure, Figure]:
        """The mean over training rows, over held-out rows, and how much the first flatters."""
        one = named(name)
        share = one.bounded
        gaps = one.sign * (self.seen - self.unseen)
        found = (
            corrected_mean(self.seen, self.n, self.overlap, share=share),
            corrected_mean(self.unseen, self.n, self.overlap, share=share),
            corrected_difference(gaps, self.n, self.overlap, share=share),
        )
        seen, unseen, gap = (figure.marked(few=self.few) for figure in found)
        return seen, unseen, gap


@dataclass(frozen=True)
class _Sides:
    """A model's rows by part, and its folds by measure. ``seen`` is the part whose score stands for training: that of
    training rows each scored without itself, where the plain one says nothing."""

    model: str
    parts: dict[str, AnyScored]
    seen: str = "training"
    folds: dict[str, _Folds] = field(default_factory=dict)

    @property
    def unseen(self) -> list[str]:
        parts = [part for part in self.parts if part not in ("training", self.seen)]
        return [OUT_OF_FOLD, *parts] if self.folds else parts

    @property
    def shown(self) -> list[str]:
        after = list(self.parts).index("training") + 1
        own = list(self.parts)
        return [*own[:after], *((_IN_THE_FOLDS, OUT_OF_FOLD) if self.folds else ()), *own[after:]]


@dataclass(frozen=True)
class _Measured:
    """Places in the draft: every measure of every part, the gap to each unseen part; ``lead`` is the part whose gap
    the answer is about, and ``limit`` what it must keep, None where it is not judged."""

    sides: _Sides
    main: str
    places: dict[tuple[str, str], int]
    gaps: dict[tuple[str, str], int]
    lead: str
    limit: Limit | None

    @property
    def gap(self) -> int:
        return self.gaps[self.main, self.lead]


class Gap(Check):
    name = "gap"
    title = "Gap"
    question = 4
    outcomes = ANY_OUTCOME
    source = (
        "Nadeau & Bengio 2003; Bouckaert & Frank 2004 (over folds); Newcombe 1998; DeLong et al. 1988; Zou & Donner "
        "2008 (a test part)."
    )
    reads = Reads(plan=("policy.gap", "policy.gap_r2", "policy.gap_loss"))

    def sentence(self, about: About) -> Sentence:
        of = _limit_of(about.plan.main_measure, about.outcome)
        whole = " of the unseen value" if of == "gap_loss" else ""
        in_words = f" in {words_of(about.plan.main_measure)}"
        return say(
            "Measure the gap between training rows, out-of-fold rows and test rows.",
            f"limit: gap{in_words} ≤ {{gap}}{whole}",
            gap=upper_limit(about, of, f"Limit on the gap{in_words}"),
        )

    def requests(self, bench: Bench) -> list[Need]:
        if RECIPE not in bench.models:
            return bench.artifact_needs
        fair = [] if _interpolates(bench) is None else [_without_itself(bench)]
        folds = bench.submitted.fold_needs if over_folds(bench) else ()
        return [bench.submitted.holdout, *folds, *_fold_readings(bench), *fair, *bench.artifact_needs]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        found = [sides for model in bench.models_of(ledger) if (sides := _sides(bench, ledger, model)) is not None]
        if not found:
            return not_applicable(_ONE_PART)
        draft = Draft(bench.plan.policy.level)
        measured = [_measured(bench, draft, sides) for sides in found]
        first, *others = measured
        return draft.write(
            _answer(bench, draft, first),
            lines=(
                *_lines(bench, draft, first),
                bench.split.fewer_folds if RECIPE in bench.models else "",
                *(line for one in others for line in (_answer(bench, draft, one), *_lines(bench, draft, one))),
            ),
            charts=tuple(strip for one in measured for strip in _strips(bench, one)),
            tables=tuple(_table(bench, one) for one in measured),
        )


def _limit_of(name: str, outcome: str) -> str:
    """The field of the policy that limits the gap in a measure: shares, R², or losses."""
    if name in ("r2", "rho_squared"):
        return "gap_r2"
    form = named(name).forms.get(outcome)
    is_loss = lower_is_better(name) and (form is None or form.hits is None)
    return "gap_loss" if is_loss else "gap"


def _limit(policy: Policy, name: str, outcome: str, unseen: float | None) -> Limit:
    """What the gap in a measure must keep, in the measure's own unit."""
    of = _limit_of(name, outcome)
    limit: Limit = getattr(policy, of)
    if of != "gap_loss" or limit.at_most is None:
        return limit
    return limit.model_copy(update={"at_most": limit.at_most * abs(unseen or 0.0)})


# What is set against what.


def _sides(bench: Bench, ledger: Ledger, model: str) -> _Sides | None:
    parts = bench.model_parts(ledger, model)
    if model != RECIPE:
        return _Sides(model, parts) if "training" in parts and len(parts) > 1 else None
    seen, of_seen = _stands_for_training(bench, ledger, parts["training"])
    return _Sides(model, {seen: of_seen, **parts}, seen, _folds(bench, ledger))


def _fold_readings(bench: Bench) -> list[Need]:
    """Of every fold's fit, the measures of its own training rows."""
    if not over_folds(bench):
        return []
    wanted = tuple(Wanted(name) for name in _names(bench))
    plain = _interpolates(bench) is None
    return [
        Need(need.fit, bench.figures(need.fit.train, wanted, "as fitted" if plain else "without itself"))
        for need in bench.submitted.fold_needs
    ]


def _folds(bench: Bench, ledger: Ledger) -> dict[str, _Folds]:
    if not over_folds(bench):
        return {}
    seen = np.stack([ledger.scores(need) for need in _fold_readings(bench)])
    held = bench.submitted.fold_scored(ledger)
    pooled, overlap = bench.submitted.out_of_fold(ledger).scored, overlap_of(bench.split.folds)
    return {
        name: _Folds(
            seen[:, place],
            values_of([measure(name, rows) for rows in held]),
            len(pooled),
            overlap,
            measure(name, pooled).few,
        )
        for place, name in enumerate(_names(bench))
    }


def _without_itself(bench: Bench) -> Need:
    """Every training row as the holdout fit scores it without that row."""
    fit = bench.submitted.holdout_fit
    return Need(fit, WithoutItselfReading(fit.train))


def _stands_for_training(bench: Bench, ledger: Ledger, plain: AnyScored) -> tuple[str, AnyScored]:
    """The part whose score stands for training: its name, and rows with their scores."""
    if _interpolates(bench) is None:
        return "training", plain
    need = _without_itself(bench)
    scores = ledger.scores(need)
    known = np.isfinite(scores) if scores.ndim == 1 else np.isfinite(scores).all(axis=1)
    name = "out_of_bag" if bench.recipe.family == "forest" else "without_itself"
    rows: Rows = bench.split.parts["training"][known]
    return name, bench.scored(rows, scores[known], f"{need.fit.seed_key} {name}")


def _drawn(bench: Bench) -> tuple[str, ...]:
    return pictures.main_measures(bench)


def _names(bench: Bench) -> tuple[str, ...]:
    """The measures that are drawn, then every other one whose gap has a direction."""
    others = (name for name in forms(bench.subject.outcome, "parts") if named(name).gap)
    return tuple(dict.fromkeys((*_drawn(bench), *others)))


# What is measured, and which gap is judged.


def _measured(bench: Bench, draft: Draft, sides: _Sides) -> _Measured:
    main = bench.plan.main_measure
    values = {name: dict(_values(sides, name)) for name in _names(bench)}
    found = {name: dict(_gaps(sides, name, by_part)) for name, by_part in values.items()}
    places = {
        (name, part): draft.add(name, figure, model=sides.model, part=part)
        for name, by_part in values.items()
        for part, figure in by_part.items()
    }
    lead = _lead(bench, found[main], places, draft)
    judged = sides.model != RECIPE or _interpolates(bench) is None
    unseen = draft.figure(places[main, lead]).value
    limit = _limit(bench.plan.policy, main, bench.subject.outcome, unseen) if judged else None
    gaps = {
        (name, part): draft.add(
            name,
            figure,
            comparison="gap",
            model=sides.model,
            part=sides.seen,
            versus=Versus(part=part),
            limit=limit if (name, part) == (main, lead) else None,
        )
        for name, by_part in found.items()
        for part, figure in by_part.items()
    }
    return _Measured(sides, main, places, gaps, lead, limit)


def _values(sides: _Sides, name: str) -> Iterator[tuple[str, Figure]]:
    for part in sides.shown:
        if part in (_IN_THE_FOLDS, OUT_OF_FOLD):
            seen, unseen, _ = sides.folds[name].figures(name)
            yield part, seen if part == _IN_THE_FOLDS else unseen
        else:
            yield part, measure(name, sides.parts[part])


def _gaps(sides: _Sides, name: str, values: dict[str, Figure]) -> Iterator[tuple[str, Figure]]:
    """How much better training looks than each unseen part: positive when it flatters."""
    for part in sides.unseen:
        if part == OUT_OF_FOLD:
            yield part, sides.folds[name].figures(name)[2]
        else:
            seen, unseen = values[sides.seen], values[part]
            yield part, independent_difference(*((unseen, seen) if lower_is_better(name) else (seen, unseen)))


def _lead(bench: Bench, gaps: dict[str, Figure], places: dict[tuple[str, str], int], draft: Draft) -> str:
    """The unseen part whose gap is judged: of folds and test the one with the narrower interval, or the other where it
    alone is outside; with neither the last part."""
    main, level = bench.plan.main_measure, bench.plan.policy.level
    both = [part for part in (OUT_OF_FOLD, "test") if part in gaps and _width(gaps[part], level) is not None]
    if not both:
        return "test" if "test" in gaps else list(gaps)[-1]
    both.sort(key=lambda part: _width(gaps[part], level) or 0.0)
    for part in both:
        limit = _limit(bench.plan.policy, main, bench.subject.outcome, draft.figure(places[main, part]).value)
        if stand(gaps[part], limit, level) is Standing.OUTSIDE:
            return part
    return both[0]


def _width(gap: Figure, level: float) -> float | None:
    ends = None if gap.few else gap.interval(level)
    return None if ends is None else ends[1] - ends[0]


# How it is shown and said.


def _strips(bench: Bench, found: _Measured) -> tuple[StripChart, ...]:
    sides = found.sides
    groups = [
        (
            name,
            StripGroup(
                label=pictures.in_words(name),
                rows=tuple(
                    StripRow(
                        estimate=found.places[name, part], label=_called(sides, part), colour=_coloured(sides, part)
                    )
                    for part in sides.shown
                ),
                gap=found.gaps[name, found.lead],
            ),
        )
        for name in _drawn(bench)
    ]
    return pictures.strips(f"Training and unseen rows on one scale{pictures.of_model(sides.model, bench)}", groups)


def _table(bench: Bench, found: _Measured) -> TableView:
    sides = found.sides
    title = "Training against each kind of unseen row; a gap is positive when training flatters"
    return TableView(
        title=f"{title}{pictures.of_model(sides.model, bench)}",
        columns=(
            "measure",
            *(_called(sides, part) for part in sides.shown),
            *(f"gap, {part.replace('_', '-')}" for part in sides.unseen),
        ),
        rows=tuple(
            (
                text(words_of(name)),
                *(at(found.places[name, part]) for part in sides.shown),
                *(at(found.gaps[name, part]) for part in sides.unseen),
            )
            for name in _names(bench)
        ),
    )


def _interpolates(bench: Bench) -> str | None:
    """Why the plain training score says nothing for this recipe, or None."""
    return family_of(bench.recipe).by_construction(resolved_settings(bench.recipe))


_CALLED = {_IN_THE_FOLDS: "training, in the folds", OUT_OF_FOLD: "out of fold"}


def _called(sides: _Sides, part: str) -> str:
    words = _CALLED.get(part, part.replace("_", " "))
    return f"{words}, plain" if part == "training" and sides.seen != part else words


def _coloured(sides: _Sides, part: str) -> str:
    if part == _IN_THE_FOLDS:
        return "training"
    return "training" if part == sides.seen else "baseline" if part == "training" else part


_FAIR = {"out_of_bag": " out of bag", "without_itself": ", each without itself,"}
_PERFECT = {
    "binary": ("accuracy", 1.0),
    "multiclass": ("accuracy", 1.0),
    "number": ("r2", 1.0),
    "choice": ("hit_rate", 1.0),
}


def _answer(bench: Bench, draft: Draft, found: _Measured) -> str:
    """What training says, what unseen rows say, and the gap by which both are judged."""
    sides, part = found.sides, found.lead
    before = _IN_THE_FOLDS if part == OUT_OF_FOLD else sides.seen
    seen, unseen = (draft.figure(found.places[found.main, one]) for one in (before, part))
    words = f"{wording.capital(words_of(found.main))}{pictures.of_model(sides.model, bench)}"
    gap, units = draft.figure(found.gap), f"{bench.subject.unit}s"
    if seen.value is None or unseen.value is None or gap.value is None:
        return f"{words} can't be set against unseen rows: {gap.note}."
    said = (
        f"{words} is {wording.number(seen.value)} on training {units}{_FAIR.get(sides.seen, '')} and "
        f"{wording.number(unseen.value)} on {wording.count(unseen.n)} {part.replace('_', '-')} {units}: a gap of "
        f"{draft.said(found.gap)}{_against(draft, found, units)}."
    )
    perfect, best = _PERFECT[bench.subject.outcome]
    if (perfect, "training") in found.places and draft.figure(found.places[perfect, "training"]).value == best:
        return f"It is right on every {bench.subject.unit} it was trained on. {said}"
    return said


def _against(draft: Draft, found: _Measured, units: str) -> str:
    if found.limit is None or found.limit.at_most is None:
        return ", shown and not judged"
    limit = f"the limit of {_plain(found.limit.at_most)}"
    endings = {
        Standing.WITHIN: f", within {limit}",
        Standing.OUTSIDE: f", beyond {limit}",
        Standing.NEAR: f", near {limit}",
        Standing.UNSETTLED: f"; too few {units} to tell, against {limit}",
        None: f", of too few {units} to judge",
    }
    return endings[draft.standing(found.gap)]


def _plain(value: float) -> str:
    return f"{value:.3g}".replace("-", "−")


_OF = {OUT_OF_FOLD: "of this recipe, refitted", "test": "of this very model"}


def _lines(bench: Bench, draft: Draft, found: _Measured) -> tuple[str, ...]:
    """What a gap by construction says, the other gap, whose truth the interval is of, and what would settle it."""
    sides = found.sides
    lines = []
    if sides.model == RECIPE and (reason := _interpolates(bench)) is not None:
        lines.append(reason)
    for part in sides.unseen:
        gap = draft.figure(found.gaps[found.main, part])
        if part != found.lead and part in _OF and gap.value is not None:
            where = f"{part.replace('_', '-')} {bench.subject.unit}s"
            lines.append(f"On {where} the gap is {draft.said(found.gaps[found.main, part])}, {_OF[part]}.")
    if draft.standing(found.gap) is Standing.UNSETTLED and found.limit is not None:
        what = f"a gap of {_plain(found.limit.at_most or 0.0)}"
        units = f"{bench.subject.unit}s"
        rows = units if found.lead == OUT_OF_FOLD else f"{found.lead} {units}"
        lines.append(what_would_settle(draft.figure(found.gap), found.limit, draft.level, what, rows))
    return tuple(lines)
