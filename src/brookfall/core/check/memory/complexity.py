"""Complexity curve: training and unseen loss along the family's own dial."""

from dataclasses import dataclass, replace

import numpy as np

from brookfall.core import digest, wording
from brookfall.core.bench import OUT_OF_FOLD, Bench
from brookfall.core.check import shown
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.memory.tree_chart import marked, tree_chart, trees_need
from brookfall.core.errors import UserError
from brookfall.core.exhibit import DialChart, StripGroup, StripRow, TableView, TreeChart, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import DialReading, FitRequest, Need, ScoreReading
from brookfall.core.judge.limit import Limit, Standing
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.linear import mean_of, variance
from brookfall.core.measure.row_losses import criteria, losses, mean_excess, mean_loss
from brookfall.core.measure.scored import AnyScored, Numbers
from brookfall.core.recipe.dials import Dialled, Facts, dialled
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.resample.folds import Fold

_NO_MORE = Limit(at_most=0.0)
_MOST_CELLS = 1_500_000
"""Rows × values × classes that one reading holds."""


class Complexity:
    name = "complexity"
    title = "Complexity curve"
    question = 4
    source = (
        "Breiman, Friedman, Olshen & Stone 1984 (pruning; one standard error); Hall 1992 for intervals; Bonferroni "
        "over the simpler values."
    )
    refits = True

    def requests(self, bench: Bench) -> list[Need]:
        dial = _dial(bench)
        needs = [need for fold in _folds(bench, dial) for need in _needs(bench, dial, fold)]
        needs += _needs(bench, dial, _training(bench, dial))
        return [*needs, tree_need(bench)] if _draws_tree(bench) else needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        dial, curve = _dial(bench), _curve(bench, ledger)
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
            for criterion in criteria(bench.subject.outcome)
            for part, figure in curve.at(criterion, place).items()
        }
        excess = _excess(draft, dial, curve, first)
        tree = _tree(bench, ledger)
        chart = DialChart(
            title=f"Loss along {dial.setting}, from the simplest to the most complex",
            setting=dial.setting,
            series="dial",
            criteria=criteria(bench.subject.outcome),
            points=tuple(turn.words for turn in dial.values),
            submitted=dial.submitted,
            best=curve.best,
            simplest=curve.simplest,
            tree=None if tree is None else tree[0],
            strengths=() if tree is None else tuple(float(turn.value or 0.0) for turn in dial.values),
        )
        series: dict[str, Series] = {"dial": curve.series(draft.level), **({} if tree is None else tree[1])}
        strips = _strips(places, points, criteria(bench.subject.outcome))
        tables = (_table(dial, places, points, criteria(bench.subject.outcome)),)
        answer = _answer(bench, draft, dial, curve, places, excess)
        return draft.write(
            answer,
            charts=(chart, *shown.strips("The submitted value beside others", strips)),
            series=series,
            tables=tables,
        )


def _dial(bench: Bench) -> Dialled:
    """The dial; UserError where the family has none."""
    target, rows = bench.subject.target, bench.parts["training"]
    if target.outcome == "number":
        impurity = float(target.numbers[rows].var())
    else:
        shares = np.bincount(target.codes[rows]) / len(rows)
        impurity = float(1 - (shares**2).sum())
        if resolved_settings(bench.recipe).model_dump().get("criterion") in ("entropy", "log_loss"):
            kept = shares[shares > 0]
            impurity = float(-(kept * np.log2(kept)).sum())
    found = dialled(bench.recipe, Facts(len(rows), impurity))
    if found is None:
        raise UserError(
            f"{wording.capital(family_of(bench.recipe).words)} as submitted has no dial that makes it simpler.",
            todo="Read the gap and the shuffled target instead.",
        )
    return found


def _training(bench: Bench, dial: Dialled) -> Fold:
    """The training part, scored on itself."""
    return _read(bench, dial, Fold(0, 0, bench.parts["training"], bench.parts["training"]))


def _folds(bench: Bench, dial: Dialled) -> list[Fold]:
    return [_read(bench, dial, fold) for fold in bench.long_folds]


def _read(bench: Bench, dial: Dialled, fold: Fold) -> Fold:
    """The fold with as many of its held-out rows, drawn by the plan's seed, as can be read at every value at once."""
    most = _MOST_CELLS // (len(dial.values) * max(1, len(bench.subject.target.classes)))
    if len(fold.test) <= most:
        return fold
    rng = np.random.default_rng(digest.seed_from("complexity", bench.plan.seed, fold.repeat, fold.number))
    return replace(fold, test=np.sort(rng.choice(fold.test, most, replace=False)))


def _most_complex(bench: Bench, dial: Dialled, train: np.ndarray[tuple[int], np.dtype[np.int64]]) -> FitRequest:
    return bench.fit(train, recipe=dial.values[-1].recipe)


def _needs(bench: Bench, dial: Dialled, fold: Fold) -> list[Need]:
    """One sweep where the family allows, else a fit a value."""
    if family_of(bench.recipe).along is not None:
        values = tuple(float(turn.value or 0.0) for turn in dial.values)
        # Neighbours learn the same whatever their number, so the submitted fit serves.
        same = dial.setting == "k"
        fit = bench.fit(fold.train) if same else _most_complex(bench, dial, fold.train)
        return [Need(fit, DialReading(fold.test, values))]
    return [
        Need(
            bench.fit(fold.train) if place == dial.submitted else bench.fit(fold.train, recipe=turn.recipe),
            ScoreReading(fold.test),
        )
        for place, turn in enumerate(dial.values)
    ]


@dataclass(frozen=True)
class _Curve:
    """Losses (n, values) by criterion of training and of unseen rows, and the rows they are of."""

    training: dict[str, Numbers]
    unseen: dict[str, Numbers]
    training_rows: AnyScored
    unseen_rows: AnyScored
    best: int
    simplest: int

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
    dial, subject = _dial(bench), bench.subject
    folds, seen = _folds(bench, dial), _training(bench, dial)
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
    )


def _scores(bench: Bench, ledger: Ledger, dial: Dialled, fold: Fold) -> Numbers:
    found = [ledger.scores(need) for need in _needs(bench, dial, fold)]
    return found[0] if family_of(bench.recipe).along is not None else np.stack(found, axis=1)


def _excess(draft: Draft, dial: Dialled, curve: _Curve, criterion: str) -> int | None:
    """How much larger the submitted value's unseen loss is than that of the best simpler value; judged with an
    interval that knows how many simpler values there are."""
    if dial.submitted == 0:
        return None
    values, simpler = curve.unseen[criterion], curve.best_simpler(criterion, dial.submitted)
    figure = mean_excess(values[:, dial.submitted], values[:, simpler], curve.unseen_rows)
    interval = figure.interval(1 - (1 - draft.level) / dial.submitted)
    worse = interval is not None and interval[0] > 0
    return draft.add(
        f"{criterion}_difference",
        replace(
            figure,
            note=figure.note
            or f"judged at {100 * (1 - draft.level) / dial.submitted:.3g} % error over {dial.submitted} simpler values",
        ),
        part=OUT_OF_FOLD,
        versus=Versus(model=f"{dial.setting} {dial.values[simpler].words}"),
        limit=_NO_MORE,
        standing=Standing.OUTSIDE if worse else Standing.WITHIN,
    )


def tree_need(bench: Bench) -> Need:
    """The tree that the handle prunes: grown on the training part to its most complex."""
    return trees_need(bench, _most_complex(bench, _dial(bench), bench.parts["training"]))


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
        found.append((criterion, StripGroup(label=shown.in_words(criterion), rows=rows)))
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
        f"{wording.measure_words(name)}, {'training' if part == 'training' else 'unseen'}"
        for name in names
        for part in parts
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
) -> str:
    first = criteria(bench.subject.outcome)[0]
    words = wording.measure_words(first)
    ours = dial.values[dial.submitted].words
    unseen = draft.figure(places["submitted", OUT_OF_FOLD, first])
    said = [
        f"At the submitted {dial.setting} of {ours} the {words} is "
        f"{wording.number(draft.figure(places['submitted', 'training', first]).value)} on training rows and "
        f"{wording.number(unseen.value)} on {wording.rows(unseen.n)} unseen."
    ]
    if excess is None:
        return f"{said[0]} No simpler value is on the dial."
    figure, standing = draft.figure(excess), draft.standing(excess)
    simpler = dial.values[curve.simplest].words
    if standing is Standing.OUTSIDE:
        better = dial.values[curve.best_simpler(first, dial.submitted)].words
        said.append(
            f"A simpler model, {dial.setting} {better}, is better on unseen rows, by "
            f"{wording.figure(figure, draft.level)}; {dial.setting} {simpler} is the simplest that does as well as any."
        )
    elif curve.simplest < dial.submitted:
        said.append(
            f"No simpler value is better by more than its interval, but {dial.setting} {simpler} is simpler and within "
            "one standard error of the best."
        )
    else:
        said.append(
            "No simpler value does better by more than its interval, nor as well as the best within one standard error."
        )
    return " ".join(said)
