"""Complexity curve: training and unseen loss along the family's own dial."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from brookfall.core.check.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, ChoiceField, NumbersField, Option, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.dial_fits import (
    asked_values,
    dial_folds,
    dial_needs,
    dial_of,
    training_fold,
    tree_need,
)
from brookfall.core.check.shared.refits import overlap_of
from brookfall.core.check.shared.tree_chart import marked, tree_chart
from brookfall.core.evidence.chart import DialChart, StripGroup, StripRow, TableView, TreeChart
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import mean_of, variance
from brookfall.core.measure.paired_tests import corrected_mean_of_rows, gain_over_folds
from brookfall.core.measure.registry import forms, measure, named, words_of
from brookfall.core.measure.row_losses import criteria, losses, mean_loss
from brookfall.core.measure.scored import AnyScored, Numbers
from brookfall.core.recipe.dials import Dialled
from brookfall.core.recipe.families import family_of
from brookfall.core.resample.folds import Fold

_NO_MORE = Limit(at_most=0.0)
_MOST_VALUES = 200
_DIRECTED = ("higher", "lower")
_ONE_ERROR = 0.6826894921370859
"""The level of an interval that reaches one standard error to each side."""


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

    def sentence(self, about: About) -> Sentence:
        usual, *others = _choosing(about.outcome)
        return say(
            "Turn the recipe's own dial from the simplest to the most complex, among {values}, and see where unseen "
            "rows do best by {by}.",
            "limit: no simpler value better by more than its interval",
            values=NumbersField(
                name="Values of the dial",
                path=("settings", self.name, "values"),
                value=asked_values(about.plan),
                none="its usual values",
                most=_MOST_VALUES,
            ),
            by=ChoiceField(
                name="Best by",
                path=("settings", self.name, "by"),
                value=about.plan.settings.get(self.name, {}).get("by"),
                options=(
                    Option(value=None, words=f"{words_of(usual)}, as usual"),
                    *(Option(value=name, words=words_of(name)) for name in others),
                ),
            ),
        )

    def requests(self, bench: Bench) -> list[Need]:
        dial = dial_of(bench)
        needs = [need for fold in dial_folds(bench, dial) for need in dial_needs(bench, dial, fold)]
        needs += dial_needs(bench, dial, training_fold(bench, dial))
        return [*needs, tree_need(bench)] if _draws_tree(bench) else needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        dial, curve = dial_of(bench), _curve(bench, ledger)
        draft = Draft(bench.plan.policy.level)
        chooses, names = curve.chooses, tuple(curve.along)
        points = {"submitted": dial.submitted, "best": chooses.best, "simplest": chooses.simplest}
        places = {
            (name, part, criterion): draft.add(
                criterion,
                figure,
                model="recipe" if name == "submitted" else f"{dial.setting} {dial.values[place].words}",
                part=part,
            )
            for name, place in points.items()
            for criterion, along in curve.along.items()
            for part, figure in along.at(place).items()
        }
        excess = _excess(draft, dial, chooses)
        tree = _tree(bench, ledger)
        chart = DialChart(
            title=f"Along {dial.setting}, from the simplest to the most complex",
            setting=dial.setting,
            series="dial",
            criteria=names,
            points=tuple(turn.words for turn in dial.values),
            submitted=dial.submitted,
            best=chooses.best,
            simplest=chooses.simplest,
            tree=None if tree is None else tree[0],
            strengths=() if tree is None else tuple(float(turn.value or 0.0) for turn in dial.values),
        )
        dialled: Series = {}
        for along in curve.along.values():
            dialled |= along.series(draft.level)
        series: dict[str, Series] = {"dial": dialled, **({} if tree is None else tree[1])}
        strips = _strips(places, points, names)
        tables = (_table(dial, places, points, names),)
        answer = _answer(draft, dial, chooses, places, excess)
        return draft.write(
            answer,
            charts=(chart, *pictures.strips("The submitted value beside others", strips)),
            series=series,
            tables=tables,
        )


@dataclass(frozen=True)
class _Along:
    """A measure at every value of the dial, of training and of unseen rows; ``errors`` (values,) are standard errors
    on unseen rows, NaN where there is none; ``gain`` says how much better the second of two values does there."""

    name: str
    training: tuple[Figure, ...]
    unseen: tuple[Figure, ...]
    errors: Numbers
    gain: Callable[[int, int], Figure]

    def at(self, place: int) -> dict[str, Figure]:
        return {"training": self.training[place], OUT_OF_FOLD: self.unseen[place]}

    @cached_property
    def lost(self) -> Numbers:
        """How bad every value is on unseen rows: the measure, the other way round where more is better."""
        values = np.array([np.nan if one.value is None else one.value for one in self.unseen])
        return -named(self.name).sign * values

    @property
    def best(self) -> int:
        return int(np.nanargmin(self.lost))

    @property
    def simplest(self) -> int:
        """The first value within one standard error of the best."""
        error = self.errors[self.best]
        within = self.lost <= self.lost[self.best] + (error if np.isfinite(error) else 0.0)
        return int(np.argmax(within))

    def best_simpler(self, place: int) -> int | None:
        """The best of the values simpler than that of a place; None where none has one."""
        before = self.lost[:place]
        return int(np.nanargmin(before)) if np.isfinite(before).any() else None

    def series(self, level: float) -> Series:
        ends = [one.interval(level) or (None, None) for one in self.unseen]
        return {
            f"{self.name} training": [one.value for one in self.training],
            f"{self.name} unseen": [one.value for one in self.unseen],
            f"{self.name} low": [low for low, _ in ends],
            f"{self.name} high": [high for _, high in ends],
        }


@dataclass(frozen=True)
class _Curve:
    """What is read along the dial, that which chooses first."""

    along: dict[str, _Along]

    @property
    def chooses(self) -> _Along:
        return next(iter(self.along.values()))


@dataclass(frozen=True)
class _Read:
    """Scores along the dial, (n, values) or (n, values, classes), of the rows of a part, in row order; the fold of each
    row, and rows held out over rows trained on."""

    rows: Rows
    scores: Numbers
    fold_of: Rows
    overlap: float

    def at(self, bench: Bench, place: int) -> AnyScored:
        return bench.scored(self.rows, self.scores[:, place], f"complexity {place}")


def _curve(bench: Bench, ledger: Ledger) -> _Curve:
    dial, by = dial_of(bench), _by(bench)
    folds, seen = dial_folds(bench, dial), training_fold(bench, dial)
    rows = np.concatenate([fold.test for fold in folds])
    order = np.argsort(rows, kind="stable")
    scores = np.concatenate([_scores(bench, ledger, dial, fold) for fold in folds])[order]
    fold_of = np.concatenate([np.full(len(fold.test), fold.number) for fold in folds])[order]
    unseen = _Read(rows[order], scores, fold_of, overlap_of(folds))
    training = _Read(seen.test, _scores(bench, ledger, dial, seen), np.zeros(len(seen.test), dtype=np.int64), 0.0)
    found = _of_losses(bench, training, unseen)
    if by in found:
        return _Curve({by: found[by], **found})
    chosen = _of_measure(bench, by, training, unseen)
    if not np.isfinite(chosen.lost).any():
        raise UserError(
            f"{wording.capital(words_of(by))} can't be computed along the dial: {chosen.unseen[0].note}.",
            todo="Choose by another measure in the plan's sentence of the complexity curve.",
        )
    return _Curve({by: chosen, **found})


def _by(bench: Bench) -> str:
    """The measure that chooses: the plan's, or the first of the losses."""
    asked, known = bench.plan.settings.get("complexity", {}).get("by"), _choosing(bench.subject.outcome)
    return str(asked) if asked in known else known[0]


def _choosing(outcome: str) -> tuple[str, ...]:
    """The measures that can choose, as more or less of them is better; the usual loss first."""
    directed = (name for name in forms(outcome, "parts") if named(name).better in _DIRECTED)
    return tuple(dict.fromkeys((*criteria(outcome), *directed)))


def _of_losses(bench: Bench, training: _Read, unseen: _Read) -> dict[str, _Along]:
    """The losses that are means over rows, at every value in one go."""
    subject = bench.subject
    seen, held = (losses(subject.target, read.rows, read.scores, subject.threshold) for read in (training, unseen))
    of_training, of_unseen = (read.at(bench, 0) for read in (training, unseen))
    return {name: _of_loss(name, (of_training, seen[name]), (of_unseen, held[name]), unseen) for name in held}


def _of_loss(name: str, training: tuple[AnyScored, Numbers], held: tuple[AnyScored, Numbers], read: _Read) -> _Along:
    rows, values = held

    def gain(ours: int, theirs: int) -> Figure:
        apart = values[:, ours] - values[:, theirs]
        return corrected_mean_of_rows(apart, rows.counted, read.fold_of, read.overlap).marked(few=rows.few)

    means = [mean_of(values[:, place], rows.counted) for place in range(values.shape[1])]
    return _Along(
        name,
        tuple(mean_loss(training[1][:, place], training[0]) for place in range(values.shape[1])),
        tuple(mean_loss(values[:, place], rows) for place in range(values.shape[1])),
        np.sqrt([variance(mean.influence, rows) for mean in means]),
        gain,
    )


def _of_measure(bench: Bench, name: str, training: _Read, unseen: _Read) -> _Along:
    """Any measure: of all unseen rows at every value; gains are means over the folds (corrected t)."""
    count = unseen.scores.shape[1]
    held = [unseen.at(bench, place) for place in range(count)]
    folds = [np.flatnonzero(unseen.fold_of == number) for number in np.unique(unseen.fold_of)]

    def by_fold(place: int) -> list[AnyScored]:
        return [held[place].take(rows, f"fold:{number}") for number, rows in enumerate(folds)]

    def gain(ours: int, theirs: int) -> Figure:
        few = measure(name, held[ours]).few
        return gain_over_folds(name, by_fold(theirs), by_fold(ours), unseen.overlap).marked(few=few)

    figures = tuple(measure(name, rows) for rows in held)
    ends = [figure.interval(_ONE_ERROR) or (np.nan, np.nan) for figure in figures]
    return _Along(
        name,
        tuple(measure(name, training.at(bench, place)) for place in range(count)),
        figures,
        np.array([(high - low) / 2 for low, high in ends]),
        gain,
    )


def _scores(bench: Bench, ledger: Ledger, dial: Dialled, fold: Fold) -> Numbers:
    found = [ledger.scores(need) for need in dial_needs(bench, dial, fold)]
    return found[0] if family_of(bench.recipe).along is not None else np.stack(found, axis=1)


def _excess(draft: Draft, dial: Dialled, along: _Along) -> int | None:
    """How much better the best simpler value does on unseen rows than the submitted one; judged with an interval that
    knows how many simpler values there are."""
    simpler = along.best_simpler(dial.submitted)
    if simpler is None:
        return None
    figure = along.gain(dial.submitted, simpler)
    interval = figure.interval(1 - (1 - draft.level) / dial.submitted)
    worse = interval is not None and interval[0] > 0
    return draft.add(
        along.name,
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
    draft: Draft, dial: Dialled, along: _Along, places: dict[tuple[str, str, str], int], excess: int | None
) -> list[str]:
    first, words = along.name, words_of(along.name)
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
    simpler = dial.values[along.simplest].words
    if standing is Standing.OUTSIDE:
        better = dial.values[along.best_simpler(dial.submitted) or 0].words
        said += [
            f"A simpler model, {dial.setting} {better}, is better on unseen rows, by "
            f"{wording.figure(figure, draft.level)}.",
            f"{wording.capital(dial.setting)} {simpler} is the simplest that does as well as any.",
        ]
    elif along.simplest < dial.submitted:
        said += [
            "No simpler value is better by more than its interval.",
            f"{wording.capital(dial.setting)} {simpler} is simpler and within one standard error of the best.",
        ]
    else:
        said.append(
            "No simpler value does better by more than its interval, nor as well as the best within one standard error."
        )
    return said
