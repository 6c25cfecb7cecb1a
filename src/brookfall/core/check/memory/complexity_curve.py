"""Complexity curve: training and unseen loss along the family's own dial."""

from dataclasses import dataclass, replace

import numpy as np

from brookfall.core.check.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.dial_fits import dial_folds, dial_needs, dial_of, training_fold, tree_need
from brookfall.core.check.shared.refits import overlap_of
from brookfall.core.check.shared.tree_chart import marked, tree_chart
from brookfall.core.evidence.chart import DialChart, StripGroup, StripRow, TableView, TreeChart
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import mean_of, variance
from brookfall.core.measure.paired_tests import corrected_mean_of_rows
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.row_losses import criteria, losses, mean_loss
from brookfall.core.measure.scored import AnyScored, Numbers
from brookfall.core.recipe.dials import Dialled
from brookfall.core.recipe.families import family_of
from brookfall.core.resample.folds import Fold

_NO_MORE = Limit(at_most=0.0)


class Complexity(Check):
    name = "complexity"
    title = "Complexity curve"
    question = 4
    source = (
        "Breiman, Friedman, Olshen & Stone 1984 (pruning; one standard error); Nadeau & Bengio 2003 (differences over "
        "folds); Hall 1992; Bonferroni over the simpler values."
    )
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Turn the recipe's own dial from the simplest to the most complex, and see where unseen rows do best.",
            "limit: no simpler value better by more than its interval",
        )

    def requests(self, bench: Bench) -> list[Need]:
        dial = dial_of(bench)
        needs = [need for fold in dial_folds(bench, dial) for need in dial_needs(bench, dial, fold)]
        needs += dial_needs(bench, dial, training_fold(bench, dial))
        return [*needs, tree_need(bench)] if _draws_tree(bench) else needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        dial, curve = dial_of(bench), _curve(bench, ledger)
        draft = Draft(bench.plan.policy.level)
        first = criteria(bench.subject.outcome)[0]
        points = {"submitted": dial.submitted, "best": curve.best, "simplest": curve.simplest}
        places = {
            (name, part, criterion): draft.add(
                criterion,
                figure,
                model="recipe" if name == "submitted" else f"{dial.setting} {dial.values[place].words}",
                part=part,
            )
            for name, place in points.items()
            for criterion in curve.unseen
            for part, figure in curve.at(criterion, place).items()
        }
        excess = _excess(draft, dial, curve, first)
        tree = _tree(bench, ledger)
        chart = DialChart(
            title=f"Loss along {dial.setting}, from the simplest to the most complex",
            setting=dial.setting,
            series="dial",
            criteria=tuple(curve.unseen),
            points=tuple(turn.words for turn in dial.values),
            submitted=dial.submitted,
            best=curve.best,
            simplest=curve.simplest,
            tree=None if tree is None else tree[0],
            strengths=() if tree is None else tuple(float(turn.value or 0.0) for turn in dial.values),
        )
        series: dict[str, Series] = {"dial": curve.series(draft.level), **({} if tree is None else tree[1])}
        strips = _strips(places, points, tuple(curve.unseen))
        tables = (_table(dial, places, points, tuple(curve.unseen)),)
        answer = _answer(bench, draft, dial, curve, places, excess)
        return draft.write(
            answer,
            charts=(chart, *pictures.strips("The submitted value beside others", strips)),
            series=series,
            tables=tables,
        )


@dataclass(frozen=True)
class _Curve:
    """Losses (n, values) by criterion of training and of unseen rows, and the rows they are of."""

    training: dict[str, Numbers]
    unseen: dict[str, Numbers]
    training_rows: AnyScored
    unseen_rows: AnyScored
    best: int
    simplest: int
    fold_of: Rows
    overlap: float

    def excess(self, losses: Numbers) -> Figure:
        """How much larger a loss is on average, of losses less others on unseen rows, by the corrected t over folds."""
        rows = self.unseen_rows
        return corrected_mean_of_rows(losses, rows.counted, self.fold_of, self.overlap).marked(few=rows.few)

    def at(self, criterion: str, place: int) -> dict[str, Figure]:
        return {
            "training": mean_loss(self.training[criterion][:, place], self.training_rows),
            OUT_OF_FOLD: mean_loss(self.unseen[criterion][:, place], self.unseen_rows),
        }

    def best_simpler(self, criterion: str, place: int) -> int:
        """The value simpler than that of a place that loses least on unseen rows, as these count."""
        return int(np.average(self.unseen[criterion][:, :place], axis=0, weights=self.unseen_rows.counted).argmin())

    def series(self, level: float) -> Series:
        found: Series = {}
        for criterion, values in self.unseen.items():
            figures = [self.at(criterion, place) for place in range(values.shape[1])]
            found[f"{criterion} training"] = [one["training"].value for one in figures]
            found[f"{criterion} unseen"] = [one[OUT_OF_FOLD].value for one in figures]
            ends = [one[OUT_OF_FOLD].interval(level) or (None, None) for one in figures]
            found[f"{criterion} low"] = [low for low, _ in ends]
            found[f"{criterion} high"] = [high for _, high in ends]
        return found


def _curve(bench: Bench, ledger: Ledger) -> _Curve:
    dial, subject = dial_of(bench), bench.subject
    folds, seen = dial_folds(bench, dial), training_fold(bench, dial)
    held = [_scores(bench, ledger, dial, fold) for fold in folds]
    rows = np.concatenate([fold.test for fold in folds])
    order = np.argsort(rows, kind="stable")
    rows, scores = rows[order], np.concatenate(held)[order]
    training = seen.test
    of_training = _scores(bench, ledger, dial, seen)
    unseen = losses(subject.target, rows, scores, subject.threshold)
    first = unseen[criteria(subject.outcome)[0]]
    unseen_rows = bench.scored(rows, scores[:, dial.submitted], "complexity")
    means = [mean_of(first[:, place], unseen_rows.counted) for place in range(first.shape[1])]
    best = int(np.argmin([mean.value for mean in means]))
    error = float(np.sqrt(variance(means[best].influence, unseen_rows)))
    simplest = next(place for place, mean in enumerate(means) if mean.value <= means[best].value + error)
    return _Curve(
        losses(subject.target, training, of_training, subject.threshold),
        unseen,
        bench.scored(training, of_training[:, dial.submitted], "complexity training"),
        unseen_rows,
        best,
        simplest,
        np.concatenate([np.full(len(fold.test), fold.number) for fold in folds])[order],
        overlap_of(folds),
    )


def _scores(bench: Bench, ledger: Ledger, dial: Dialled, fold: Fold) -> Numbers:
    found = [ledger.scores(need) for need in dial_needs(bench, dial, fold)]
    return found[0] if family_of(bench.recipe).along is not None else np.stack(found, axis=1)


def _excess(draft: Draft, dial: Dialled, curve: _Curve, criterion: str) -> int | None:
    """How much larger the submitted value's unseen loss is than that of the best simpler value; judged with an
    interval that knows how many simpler values there are."""
    if dial.submitted == 0:
        return None
    values, simpler = curve.unseen[criterion], curve.best_simpler(criterion, dial.submitted)
    figure = curve.excess(values[:, dial.submitted] - values[:, simpler])
    interval = figure.interval(1 - (1 - draft.level) / dial.submitted)
    worse = interval is not None and interval[0] > 0
    return draft.add(
        criterion,
        replace(
            figure,
            note=figure.note
            or f"judged at {100 * (1 - draft.level) / dial.submitted:.3g} % error over {dial.submitted} simpler values",
        ),
        comparison="difference",
        part=OUT_OF_FOLD,
        versus=Versus(model=f"{dial.setting} {dial.values[simpler].words}"),
        limit=_NO_MORE,
        standing=Standing.OUTSIDE if worse else Standing.WITHIN,
    )


def _draws_tree(bench: Bench) -> bool:
    return bench.recipe.family == "tree"


def _tree(bench: Bench, ledger: Ledger) -> tuple[TreeChart, dict[str, Series]] | None:
    if not _draws_tree(bench):
        return None
    return tree_chart(bench, ledger, tree_need(bench), "The tree at the handle", marked(bench))


def _strips(
    places: dict[tuple[str, str, str], int], points: dict[str, int], names: tuple[str, ...]
) -> list[tuple[str, StripGroup]]:
    found = []
    for criterion in names:
        rows = tuple(
            StripRow(
                estimate=places[name, part, criterion],
                label=f"{_POINT[name]}, {'training' if part == 'training' else 'unseen'}",
                colour=part,
            )
            for name in _distinct(points)
            for part in ("training", OUT_OF_FOLD)
        )
        found.append((criterion, StripGroup(label=pictures.in_words(criterion), rows=rows)))
    return found


_POINT = {"submitted": "submitted", "best": "best", "simplest": "simplest as good"}


def _distinct(points: dict[str, int]) -> list[str]:
    """The points that differ, the submitted one first."""
    seen: dict[int, str] = {}
    for name, place in points.items():
        seen.setdefault(place, name)
    return list(seen.values())


def _table(
    dial: Dialled, places: dict[tuple[str, str, str], int], points: dict[str, int], names: tuple[str, ...]
) -> TableView:
    parts = ("training", OUT_OF_FOLD)
    columns = [
        f"{words_of(name)}, {'training' if part == 'training' else 'unseen'}" for name in names for part in parts
    ]
    return TableView(
        title=f"Along {dial.setting}: submitted, best on unseen rows, and the simplest within one standard error of it",
        columns=("", dial.setting, *columns),
        rows=tuple(
            (
                text(_POINT[name]),
                text(dial.values[place].words),
                *(at(places[name, part, criterion]) for criterion in names for part in parts),
            )
            for name, place in points.items()
        ),
    )


def _answer(
    bench: Bench,
    draft: Draft,
    dial: Dialled,
    curve: _Curve,
    places: dict[tuple[str, str, str], int],
    excess: int | None,
) -> list[str]:
    first = criteria(bench.subject.outcome)[0]
    words = words_of(first)
    ours = dial.values[dial.submitted].words
    unseen = draft.figure(places["submitted", OUT_OF_FOLD, first])
    said = [
        f"At the submitted {dial.setting} of {ours} the {words} is "
        f"{wording.number(draft.figure(places['submitted', 'training', first]).value)} on training rows and "
        f"{wording.number(unseen.value)} on {wording.rows(unseen.n)} unseen."
    ]
    if excess is None:
        return [*said, "No simpler value is on the dial."]
    figure, standing = draft.figure(excess), draft.standing(excess)
    simpler = dial.values[curve.simplest].words
    if standing is Standing.OUTSIDE:
        better = dial.values[curve.best_simpler(first, dial.submitted)].words
        said += [
            f"A simpler model, {dial.setting} {better}, is better on unseen rows, by "
            f"{wording.figure(figure, draft.level)}.",
            f"{wording.capital(dial.setting)} {simpler} is the simplest that does as well as any.",
        ]
    elif curve.simplest < dial.submitted:
        said += [
            "No simpler value is better by more than its interval.",
            f"{wording.capital(dial.setting)} {simpler} is simpler and within one standard error of the best.",
        ]
    else:
        said.append(
            "No simpler value does better by more than its interval, nor as well as the best within one standard error."
        )
    return said
