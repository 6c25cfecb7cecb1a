"""Gap: the training score against the unseen score on one strip, with an interval on the distance."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import OUT_OF_FOLD, RECIPE, SCORES, Bench
from brookfall.core.check.check import Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, WithoutItselfReading
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import rows_to_settle
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import gain
from brookfall.core.measure.ranking import auc_gap_by_fold
from brookfall.core.measure.registry import forms, lower_is_better, measure, named, words_of
from brookfall.core.measure.scored import AnyScored, Scored
from brookfall.core.recipe.families import family_of, resolved_settings

_ONE_PART = "The supplied scores are of one part alone, so training can't be set against unseen rows."


@dataclass(frozen=True)
class _Sides:
    """A model's training rows and unseen rows by part; ``same`` are its training rows scored by fits without them,
    and ``folds`` the fold that left each of them out. ``seen`` is the part whose score stands for training: that of
    training rows each scored without itself, where the plain one says nothing."""

    model: str
    parts: dict[str, AnyScored]
    same: tuple[AnyScored, AnyScored] | None = None
    folds: NDArray[np.int64] | None = None
    seen: str = "training"

    @property
    def unseen(self) -> list[str]:
        return [part for part in self.parts if part not in ("training", self.seen)]


class Gap(Check):
    name = "gap"
    title = "Gap"
    question = 4
    source = "Newcombe 1998 (independent and paired differences); DeLong et al. 1988; Zou & Donner 2008; Hall 1992."
    reads = Reads(plan=("policy.gap", "policy.gap_r2"))

    def sentence(self, about: About) -> Sentence:
        of = "gap_r2" if about.number else "gap"
        return say(
            "Measure the gap between training rows, out-of-fold rows and test rows.",
            f"limit: gap{' in R²' if about.number else ''} ≤ {{gap}}",
            gap=upper_limit(about, of, f"Limit on the gap{' in R²' if about.number else ''}"),
        )

    def requests(self, bench: Bench) -> list[Need]:
        if RECIPE not in bench.models:
            return []
        fair = [] if _interpolates(bench) is None else [_without_itself(bench)]
        return [bench.submitted.holdout, *bench.submitted.out_of_fold_needs, *fair]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        found = [sides for model in bench.models if (sides := _sides(bench, ledger, model)) is not None]
        if not found:
            return not_applicable(_ONE_PART)
        draft = Draft(bench.plan.policy.level)
        strips: list[StripChart] = []
        tables, answers = [], []
        for sides in found:
            by_construction = _interpolates(bench) if sides.model == RECIPE else None
            places, gaps = _measured(bench, draft, sides)
            strips.extend(_strips(bench, sides, places, gaps))
            tables.append(_table(bench, sides, places, gaps))
            answers.append(_answer(bench, draft, sides, places, gaps))
            answers.extend([by_construction] if by_construction else [])
        return draft.write(" ".join(answers), charts=tuple(strips), tables=tuple(tables))


def _sides(bench: Bench, ledger: Ledger, model: str) -> _Sides | None:
    parts = bench.model_parts(ledger, model)
    if model == SCORES:
        return _Sides(model, parts) if "training" in parts and len(parts) > 1 else None
    unseen = bench.submitted.out_of_fold(ledger)
    seen, at_seen, of_seen = _stands_for_training(bench, ledger, parts["training"])
    both = np.intersect1d(at_seen, unseen.positions)
    ours = of_seen.take(np.searchsorted(at_seen, both), "left out too")
    theirs = unseen.scored.take(np.searchsorted(unseen.positions, both), "training rows")
    ordered = {seen: of_seen, "training": parts["training"], OUT_OF_FOLD: theirs}
    ordered |= {part: rows for part, rows in parts.items() if part != "training"}
    folds = None
    if bench.plan.cross_validation.kind == "k_fold":
        folds = bench.split.first_held[np.searchsorted(bench.split.cross_validated, both)]
    return _Sides(model, ordered, (ours, theirs), folds, seen)


def _without_itself(bench: Bench) -> Need:
    """Every training row as the holdout fit scores it without that row."""
    fit = bench.submitted.holdout.fit
    return Need(fit, WithoutItselfReading(fit.train))


def _stands_for_training(bench: Bench, ledger: Ledger, plain: AnyScored) -> tuple[str, Rows, AnyScored]:
    """The part whose score is judged as that of training: its name, sorted positions, and rows with their scores."""
    rows = bench.split.parts["training"]
    if _interpolates(bench) is None:
        return "training", rows, plain
    need = _without_itself(bench)
    scores = ledger.scores(need)
    known = np.isfinite(scores) if scores.ndim == 1 else np.isfinite(scores).all(axis=1)
    name = "out_of_bag" if bench.recipe.family == "forest" else "without_itself"
    return name, rows[known], bench.scored(rows[known], scores[known], f"{need.fit.seed_key} {name}")


def _judged_measure(bench: Bench) -> tuple[str, Limit]:
    """The measure whose gap is judged, and its limit: of a number outcome always that of R²."""
    policy = bench.plan.policy
    return ("r2", policy.gap_r2) if bench.subject.outcome == "number" else (bench.plan.main_measure, policy.gap)


def _drawn(bench: Bench) -> tuple[str, ...]:
    return tuple(dict.fromkeys((_judged_measure(bench)[0], *pictures.main_measures(bench))))


def _names(bench: Bench) -> tuple[str, ...]:
    """The measures that are drawn, then every other one whose gap has a direction."""
    others = (name for name in forms(bench.subject.outcome, "parts") if named(name).gap)
    return tuple(dict.fromkeys((*_drawn(bench), *others)))


def _measured(
    bench: Bench, draft: Draft, sides: _Sides
) -> tuple[dict[tuple[str, str], int], dict[tuple[str, str], int]]:
    """Places in the draft: every measure of every part, and the gap of training to each unseen part."""
    main, limit = _judged_measure(bench)
    places, gaps = {}, {}
    for name in _names(bench):
        for part, rows in sides.parts.items():
            places[name, part] = draft.add(name, measure(name, rows), model=sides.model, part=part)
        for part in sides.unseen:
            judge = name == main and part in (OUT_OF_FOLD, "test")
            gaps[name, part] = draft.add(
                name,
                _gap(name, sides, part),
                comparison="gap",
                model=sides.model,
                part=sides.seen,
                versus=Versus(part=part),
                limit=limit if judge else None,
            )
    return places, gaps


def _gap(name: str, sides: _Sides, part: str) -> Figure:
    """How much better training looks: positive when it flatters."""
    lower = lower_is_better(name)
    if part != OUT_OF_FOLD or sides.same is None:
        seen, unseen = measure(name, sides.parts[sides.seen]), measure(name, sides.parts[part])
        return independent_difference(unseen, seen) if lower else independent_difference(seen, unseen)
    ours, theirs = sides.same
    if name == "auc" and sides.folds is not None and isinstance(ours, Scored) and isinstance(theirs, Scored):
        return auc_gap_by_fold(ours, theirs, sides.folds).marked(few=ours.few_events)
    figure = gain(name, ours, theirs)
    return _unpaired(name, ours, theirs) if figure.value is None else figure


def _unpaired(name: str, ours: AnyScored, theirs: AnyScored) -> Figure:
    """The plain gap of a measure that has no interval for a difference on the same rows."""
    seen, unseen = measure(name, ours), measure(name, theirs)
    if seen.value is None or unseen.value is None:
        return absent(unseen.n, seen.note or unseen.note or "one side can't be computed")
    gap = unseen.value - seen.value if lower_is_better(name) else seen.value - unseen.value
    return Figure(gap, unseen.n, note="this measure has no interval for a difference on the same rows")


def _strips(
    bench: Bench, sides: _Sides, places: dict[tuple[str, str], int], gaps: dict[tuple[str, str], int]
) -> tuple[StripChart, ...]:
    groups = [
        (
            name,
            StripGroup(
                label=pictures.in_words(name),
                rows=tuple(
                    StripRow(estimate=places[name, part], label=_called(sides, part), colour=_coloured(sides, part))
                    for part in sides.parts
                ),
                gap=gaps[name, sides.unseen[-1]],
            ),
        )
        for name in _drawn(bench)
    ]
    return pictures.strips(f"Training and unseen rows on one scale{pictures.of_model(sides.model, bench)}", groups)


def _table(
    bench: Bench, sides: _Sides, places: dict[tuple[str, str], int], gaps: dict[tuple[str, str], int]
) -> TableView:
    title = "Training against each kind of unseen row; a gap is positive when training flatters"
    return TableView(
        title=f"{title}{pictures.of_model(sides.model, bench)}",
        columns=(
            "measure",
            *(_called(sides, part) for part in sides.parts),
            *(f"gap, {part.replace('_', ' ')}" for part in sides.unseen),
        ),
        rows=tuple(
            (
                text(words_of(name)),
                *(at(places[name, part]) for part in sides.parts),
                *(at(gaps[name, part]) for part in sides.unseen),
            )
            for name in _names(bench)
        ),
    )


def _interpolates(bench: Bench) -> str | None:
    """Why the plain training score says nothing for this recipe, or None."""
    return family_of(bench.recipe).by_construction(resolved_settings(bench.recipe))


def _called(sides: _Sides, part: str) -> str:
    words = part.replace("_", " ")
    return f"{words}, plain" if part == "training" and sides.seen != part else words


def _coloured(sides: _Sides, part: str) -> str:
    return "training" if part == sides.seen else "baseline" if part == "training" else part


_FAIR = {"out_of_bag": " out of bag", "without_itself": ", each without itself,"}
_PERFECT = {"binary": ("accuracy", 1.0), "multiclass": ("accuracy", 1.0), "number": ("r2", 1.0)}


def _answer(
    bench: Bench, draft: Draft, sides: _Sides, places: dict[tuple[str, str], int], gaps: dict[tuple[str, str], int]
) -> str:
    main, limit = _judged_measure(bench)
    part = "test" if "test" in sides.parts else sides.unseen[-1]
    seen, unseen = draft.figure(places[main, sides.seen]), draft.figure(places[main, part])
    gap = gaps[main, part]
    measured, standing = draft.figure(gap), draft.standing(gap)
    words = words_of(main)
    named = pictures.of_model(sides.model, bench)
    said = (
        f"{wording.capital(words)}{named} is {wording.number(seen.value)} on training rows"
        f"{_FAIR.get(sides.seen, '')} and "
        f"{wording.number(unseen.value)} on {wording.rows(unseen.n)} of the {part.replace('_', ' ')} part."
    )
    perfect, best = _PERFECT[bench.subject.outcome]
    if (perfect, "training") in places and draft.figure(places[perfect, "training"]).value == best:
        said = f"It{named} is right on every row it was trained on. {said}"
    endings = {
        Standing.WITHIN: f"keeps the limit of {limit.at_most:g}",
        Standing.OUTSIDE: f"is beyond the limit of {limit.at_most:g}",
        Standing.NEAR: f"may or may not keep the limit of {limit.at_most:g}",
        Standing.UNSETTLED: f"can't be told from none, nor from the limit of {limit.at_most:g}, on these rows",
        None: "is not judged",
    }
    said += f" The gap of {wording.figure(measured, draft.level)} {endings[standing]}."
    if standing is Standing.UNSETTLED:
        settle = rows_to_settle(measured, limit, draft.wide_level)
        said += f" About {wording.rows(settle)} in the {part.replace('_', ' ')} part would settle it." if settle else ""
    return said
