"""Leak suspects: what tells the outcome all by itself, and what could not have been known."""

from dataclasses import dataclass

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check import shown
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.exhibit import TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.judge.limit import Limit, Standing
from brookfall.core.measure.alone import told_alone
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.measures import measure
from brookfall.core.measure.scored import Numbers, Outcomes, Scored, ScoredNumbers
from brookfall.core.plan import Given
from brookfall.core.subject import Subject
from brookfall.core.table.table import Column

_ID_SHARE = 0.95
_ID_ROWS = 50


@dataclass(frozen=True)
class Suspect:
    """A feature, or the gaps in one, with how well it tells the outcome by itself."""

    feature: str
    gaps: bool
    measure: str
    figure: Figure

    @property
    def words(self) -> str:
        return f"gaps in {self.feature}" if self.gaps else self.feature


class Leaks:
    name = "leaks"
    title = "Leak suspects"
    question = 1
    source = "A single feature that all but decides the target: common practice. DeLong et al. 1988; Hall 1992."
    refits = False

    def requests(self, bench: Bench) -> list[Need]:  # noqa: ARG002 - needs no fit
        return []

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        subject, limit = bench.subject, bench.plan.policy.alone
        draft = Draft(bench.plan.policy.level)
        suspects = alone(subject, bench.plan.seed)
        places = [
            draft.add(one.measure, one.figure, model="data", part="all", feature=one.words, limit=limit)
            for one in suspects
        ]
        late, given = _late(bench), isinstance(bench.plan.parts, Given)
        if late is not None:
            draft.add(
                "share_before_training_ends",
                late,
                model="data",
                part="test",
                feature=subject.roles.time,
                # Parts drawn here at random are no fault of the owner's; the plan says so.
                limit=Limit(at_most=0) if given else None,
                standing=(Standing.OUTSIDE if late.value else Standing.WITHIN) if given else None,
            )
        found = list(zip(suspects, places, strict=True))
        strip = shown.ranking(
            f"How well one column alone tells {subject.roles.target}, on rows it was not learned from",
            wording.capital(wording.measure_words(suspects[0].measure)) if suspects else "",
            [(one.words, place, "data") for one, place in found],
        )
        table = TableView(
            title=f"Every feature by itself; {limit.words} is the limit",
            columns=("column", "measure", "by itself"),
            rows=tuple((text(one.words), text(wording.measure_words(one.measure)), at(place)) for one, place in found),
        )
        answer = _answer(subject, draft, suspects, places, late)
        return draft.write(answer, charts=(strip,), tables=(table,))


def alone(subject: Subject, seed: int, rows: Rows | None = None) -> list[Suspect]:
    """Every feature, and every feature's gaps, with how well it alone tells the outcome; the best first.

    On the sorted ``rows``, or all that are in use.

    Where the gaps tell as much as the whole column, they come first: they are what tells.
    """
    found = []
    used = subject.rows if rows is None else rows
    for name in subject.features:
        column = subject.table.column(name).take(used)
        found.append(_suspect(subject, column, seed, used, gaps=False))
        if column.missing.any() and not column.missing.all():
            gaps = Column(name, "category", column.missing.astype(np.int32), ("there", "missing"))
            found.append(_suspect(subject, gaps, seed, used, gaps=True))
    return sorted(found, key=lambda one: (-(one.figure.value or 0.0), not one.gaps))


def _suspect(subject: Subject, column: Column, seed: int, rows: Rows, *, gaps: bool) -> Suspect:
    target = subject.target
    sampling = subject.sampling(rows, f"alone {column.name}")
    if target.outcome == "number":
        outcomes = target.numbers[rows]
        told = ScoredNumbers(outcomes=outcomes, predictions=told_alone(column, outcomes, seed), **sampling)
        return Suspect(column.name, gaps, "r2", measure("r2", told))
    classes = (1,) if target.yes_no else range(len(target.classes))
    figures = [_auc(column, target.codes[rows] == code, seed, subject, rows) for code in classes]
    best = max(figures, key=lambda figure: figure.value or 0.0)
    return Suspect(column.name, gaps, "auc" if target.yes_no else "auc_ovr", best)


def _auc(column: Column, hits: Outcomes, seed: int, subject: Subject, rows: Rows) -> Figure:
    """By the other folds' means, or, where that is better, by a number's own order, either way up."""
    told = [told_alone(column, hits.astype(np.float64), seed)]
    if column.kind == "number" and not column.missing.any():
        values: Numbers = column.values.astype(np.float64)
        told += [values, -values]
    sampling = subject.sampling(rows, f"alone {column.name}")
    figures = [measure("auc", Scored(outcomes=hits, scores=scores, threshold=0.5, **sampling)) for scores in told]
    return max(figures, key=lambda figure: figure.value or 0.0)


def identifiers_among(subject: Subject) -> list[tuple[str, int]]:
    """Features whose values are all but unique, as an identifier's are, with how many values they have.

    Measured numbers are left out: only text and whole numbers can be names.
    """
    found = []
    for name in subject.features:
        column = subject.table.column(name)
        present = column.values[~column.missing]
        if len(present) < _ID_ROWS or (column.kind == "number" and (present != np.round(present)).any()):
            continue
        distinct = len(np.unique(present))
        spread = column.kind != "number" or float(np.ptp(present)) < 20 * len(present)
        if distinct > _ID_SHARE * len(present) and spread:
            found.append((name, distinct))
    return found


def _late(bench: Bench) -> Figure | None:
    """The share of test rows that lie before the last training row in time; None where rows have no time."""
    layout = bench.subject.layout(stratified=False)
    if layout.times is None:
        return None
    training, test = (layout.times[np.searchsorted(layout.rows, bench.parts[part])] for part in ("training", "test"))
    return Figure(float((test < training.max()).mean()), len(test), note="counted, not estimated")


def _answer(subject: Subject, draft: Draft, suspects: list[Suspect], places: list[int], late: Figure | None) -> str:
    over = [
        (one, place)
        for one, place in zip(suspects, places, strict=True)
        if draft.standing(place) in (Standing.OUTSIDE, Standing.NEAR)
    ]
    said = []
    if over:
        first, place = over[0]
        names = wording.listed([one.words for one, _ in over])
        said.append(
            f"By {'itself' if len(over) == 1 else 'themselves'}, {names} all but "
            f"{'decides' if len(over) == 1 else 'decide'} {subject.roles.target}: "
            f"{wording.measure_words(first.measure)} of {first.words} is "
            f"{wording.figure(draft.figure(place), draft.level)}. Was it known when the score is needed?"
        )
    elif suspects:
        first = suspects[0]
        said.append(
            f"No column decides {subject.roles.target} by itself; the best, {first.words}, reaches "
            f"{wording.measure_words(first.measure)} {wording.figure(draft.figure(places[0]), draft.level)} "
            f"on {wording.rows(first.figure.n)}."
        )
    suspected = [f"{name} ({wording.count(count)} values)" for name, count in identifiers_among(subject)]
    if suspected:
        looks = "looks like an identifier" if len(suspected) == 1 else "look like identifiers"
        said.append(f"Among the features, {wording.listed(suspected)} {looks}.")
    if late is not None and late.value:
        said.append(f"{wording.percent(late.value)} of the test rows lie before the last training row in time.")
    return " ".join(said) or "There is no feature to look at."
