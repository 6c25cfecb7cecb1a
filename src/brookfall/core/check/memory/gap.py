"""Gap: the training score against the unseen score on one strip, with an interval on the distance."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core import wording
from brookfall.core.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.exhibit import StripChart, StripGroup, StripRow, TableView, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.judge.limit import Standing, rows_to_settle
from brookfall.core.measure.binary import HIGHER_IS_WORSE, Scored, measure, paired_gap
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.ranking import auc_gap_by_fold

_MEASURES = ("auc", "accuracy", "brier")


class Gap:
    name = "gap"
    title = "Gap"
    question = 4
    source = "Newcombe 1998 (independent and paired differences); DeLong et al. 1988; Zou & Donner 2008."

    def requests(self, bench: Bench) -> list[Need]:
        return [bench.holdout, *bench.first_repeat]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        sides = {part: bench.part_scores(ledger, bench.holdout, part) for part in bench.parts}
        unseen = bench.out_of_fold(ledger)
        on_training = np.searchsorted(bench.cross_validated, bench.parts["training"])
        sides[OUT_OF_FOLD] = unseen.take(on_training, "training rows")
        folds = bench.fold_of_row()[on_training]
        by_construction = _interpolates(bench)
        places: dict[tuple[str, str], int] = {}
        gaps: dict[tuple[str, str], int] = {}
        order = ["training", OUT_OF_FOLD, *(part for part in sides if part not in ("training", OUT_OF_FOLD))]
        for name in _MEASURES:
            for part in order:
                places[name, part] = draft.add(name, measure(name, sides[part]), part=part)
            for part in order[1:]:
                judged = name == bench.plan.main_measure and part in (OUT_OF_FOLD, "test") and not by_construction
                gaps[name, part] = draft.add(
                    f"{name}_gap",
                    _gap(name, sides["training"], sides[part], folds if part == OUT_OF_FOLD else None),
                    part="training",
                    versus=Versus(part=part),
                    limit=bench.plan.policy.gap if judged else None,
                )
        strip = StripChart(
            title="Training and unseen rows on one scale",
            unit="",
            groups=tuple(
                StripGroup(
                    label=wording.capital(wording.measure_words(name)),
                    rows=tuple(
                        StripRow(estimate=places[name, part], label=part.replace("_", " "), colour=part)
                        for part in order
                    ),
                    gap=gaps[name, order[-1]],
                )
                for name in _MEASURES
            ),
        )
        table = TableView(
            title="Training against each kind of unseen row; a gap is positive when training flatters",
            columns=("measure", *(part.replace("_", " ") for part in order), "gap, out of fold", "gap, test"),
            rows=tuple(
                (
                    text(wording.measure_words(name)),
                    *(at(places[name, part]) for part in order),
                    at(gaps[name, OUT_OF_FOLD]),
                    at(gaps[name, "test"]),
                )
                for name in _MEASURES
            ),
        )
        main = bench.plan.main_measure
        answer = _answer(bench, draft, places[main, "training"], places[main, "test"], gaps[main, "test"])
        if draft.figure(places["accuracy", "training"]).value == 1:
            answer = f"It is right on every row it was trained on. {answer}"
        if by_construction:
            answer += f" {by_construction}"
        return draft.write(answer, charts=(strip,), tables=(table,))


def _gap(name: str, training: Scored, unseen: Scored, folds: NDArray[np.int64] | None) -> Figure:
    """How much better training looks: positive when it flatters. ``folds`` are given when the rows are the same."""
    better, worse = (unseen, training) if name in HIGHER_IS_WORSE else (training, unseen)
    if folds is None:
        return independent_difference(measure(name, better), measure(name, worse))
    if name == "auc":
        return auc_gap_by_fold(training.outcomes, training.scores, unseen.scores, folds)
    return paired_gap(name, better, worse)


def _interpolates(bench: Bench) -> str | None:
    """Why the plain training score says nothing for this family, or None."""
    recipe = bench.recipe
    if recipe.family == "forest":
        return (
            "A forest reproduces its training rows by construction, so its plain training score is shown and not "
            "judged; its out-of-fold score is the one to read."
        )
    if recipe.family == "nearest_neighbours" and recipe.settings.get("weights") == "distance":
        return (
            "Distance-weighted neighbours reproduce their training rows by construction, so the plain training score "
            "is shown and not judged."
        )
    return None


def _answer(bench: Bench, draft: Draft, training: int, test: int, gap: int) -> str:
    words = wording.measure_words(bench.plan.main_measure)
    limit = bench.plan.policy.gap
    measured = draft.figure(gap)
    standing = draft.standing(gap)
    said = (
        f"{wording.capital(words)} is {wording.number(draft.figure(training).value)} on training rows and "
        f"{wording.number(draft.figure(test).value)} on {wording.rows(draft.figure(test).n)} of the test part."
    )
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
        said += f" About {wording.rows(settle)} in the test part would settle it." if settle else ""
    return said
