"""What came of one submission, set side by side row by row: the recipe refitted as its owner fitted it, the fitted
model, and the scores that were supplied."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from brookfall.core.check.bench import ARTIFACT, RECIPE, SCORES, Bench
from brookfall.core.check.check import Draft, at, text
from brookfall.core.check.shared.divided_columns import divided
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.measure.score_agreement_of_rows import Agreement, agreement, differences
from brookfall.core.measure.scored import AnyScored, Numbers, Scored, ScoredNumbers
from brookfall.core.resample.parts import split_parts
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column

_SAME = 1e-6
"""Scores that differ by less were written with so many digits and no more."""
_SHOWN = 10
_MOST_VALUES = 12
_ROUNDING = 1e-4
"""Beyond what single precision and a solver's last step make of a score."""
_WORTH_TELLING = 0.01
"""The largest difference of two scores from which on it is looked for where they are."""
_MOSTLY = 0.8
"""Rows lie apart where a segment holds so much of them, and they are so much of it."""

_OPENINGS = {RECIPE: "Refitted here, the recipe", ARTIFACT: "The fitted model as submitted"}
_OTHERS = {SCORES: "the supplied scores", ARTIFACT: "the fitted model"}


@dataclass(frozen=True)
class Agreed:
    """What is added to the exhibit on the claims: a sentence for each pair of models, and tables."""

    sentences: tuple[str, ...]
    tables: tuple[TableView, ...]


@dataclass(frozen=True)
class _Pair:
    """Two models on the same rows, part by part."""

    one: str
    other: str
    parts: Mapping[str, tuple[AnyScored, AnyScored, Rows]]


def owner_parts(bench: Bench) -> tuple[dict[str, Rows], bool]:
    """The owner's split as far as it is known, and whether its rows are exactly those the owner used."""
    subject, split = bench.subject, bench.recipe.split
    if subject.roles.part is not None:
        return bench.split.given_parts, True
    if split is None:
        return bench.split.parts, False
    shares = {"training": 1 - split.test, "test": split.test}
    return split_parts(subject.layout(stratified=split.stratified), shares, split.seed), False


def agree_needs(bench: Bench) -> list[Need]:
    """The recipe on the owner's training rows, read on every row that another model scored, and the fitted model's
    scores; none where there is nothing to set side by side."""
    if len(_there(bench)) < 2:
        return []
    return [*_refit(bench), *([bench.artifact.need] if bench.has_artifact else [])]


def _there(bench: Bench) -> list[str]:
    here = ((RECIPE, RECIPE in bench.models), (ARTIFACT, bench.has_artifact), (SCORES, SCORES in bench.models))
    return [name for name, there in here if there]


def _refit(bench: Bench) -> list[Need]:
    if RECIPE not in bench.models:
        return []
    parts, _ = owner_parts(bench)
    rows = bench.subject.rows if bench.has_artifact else _supplied_rows(bench)
    return [Need(bench.fit(parts["training"]), ScoreReading(rows))] if len(rows) else []


def _supplied_rows(bench: Bench) -> Rows:
    """Rows with a supplied score that the recipe can score too."""
    every = np.sort(np.concatenate(list(bench.supplied_parts.values())))
    return np.intersect1d(every, bench.subject.rows)


def _pairs(bench: Bench, ledger: Ledger) -> Iterator[_Pair]:
    """Every two of the models that are there, on the parts that both have."""
    there = [name for name in _there(bench) if name != ARTIFACT or bench.artifact_ran(ledger)]
    on: dict[str, Callable[[Rows], AnyScored]] = {}
    if SCORES in there:
        on[SCORES] = bench.supplied_scores.on
    if ARTIFACT in there:
        on[ARTIFACT] = partial(bench.artifact.on, ledger)
    for need in _refit(bench) if len(there) > 1 else ():
        on[RECIPE] = partial(_refitted, bench, ledger, need)
    for place, one in enumerate(there):
        for other in there[place + 1 :]:
            parts = {}
            for part, rows in _parts(bench, other).items():
                common = np.intersect1d(rows, bench.subject.rows)
                if len(common) and one in on:
                    parts[part] = (on[one](common), on[other](common), bench.subject.units(common))
            if parts:
                yield _Pair(one, other, parts)


def _refitted(bench: Bench, ledger: Ledger, need: Need, rows: Rows) -> AnyScored:
    return bench.scored(rows, ledger.scores(need)[np.searchsorted(need.reading.rows, rows)], need.fit.seed_key)


def _parts(bench: Bench, other: str) -> Mapping[str, Rows]:
    if other == SCORES:
        return bench.supplied_parts
    return bench.artifact.owners or {"all": bench.subject.rows}


def agree(bench: Bench, ledger: Ledger, draft: Draft) -> Agreed | None:
    """Pair by pair and part by part: the largest and the typical difference, and the share of decisions that differ;
    and which rows they are."""
    sentences: list[str] = []
    tables: list[TableView] = []
    for pair in _pairs(bench, ledger):
        found = {part: agreement(one, other) for part, (one, other, _) in pair.parts.items()}
        sentences.append(_sentence(bench, pair, found, draft.level))
        tables.append(_table(draft, pair, found))
        if ARTIFACT in (pair.one, pair.other):
            where, rows = _rows_apart(bench, pair)
            sentences += where
            tables += rows
    return Agreed(tuple(sentences), tuple(tables)) if tables else None


def _table(draft: Draft, pair: _Pair, found: Mapping[str, Agreement]) -> TableView:
    named = {"largest_score_difference": "largest difference", "mean_score_difference": "mean size of the difference"}
    decided = any(one.flipped is not None for one in found.values())
    rows = []
    for part, one in found.items():
        figures = {"largest_score_difference": one.largest, "mean_score_difference": one.typical}
        if one.flipped is not None:
            figures["flipped"] = one.flipped
        places = [
            draft.add(name, figure, model=pair.one, part=part, versus=Versus(model=pair.other))
            for name, figure in figures.items()
        ]
        rows.append((text(part), *(at(place) for place in places)))
    first = {RECIPE: "Refitted here", ARTIFACT: "The fitted model"}[pair.one]
    return TableView(
        title=f"{first} against {_OTHERS[pair.other]}, row by row",
        columns=("part", *named.values(), *(("decided otherwise",) if decided else ())),
        rows=tuple(rows),
    )


def _sentence(bench: Bench, pair: _Pair, found: Mapping[str, Agreement], level: float) -> str:
    part, worst = max(found.items(), key=lambda one: one[1].largest.value or 0.0)
    opening, other = _OPENINGS[pair.one], _OTHERS[pair.other]
    flips = "" if worst.flipped is None else wording.figure(worst.flipped, level)
    which = "rows" if part == "all" else f"{part} rows"
    if worst.largest.value is None:
        return f"{opening} decides {flips} of the {which} otherwise than {other}."
    if worst.largest.value <= _SAME:
        same = f"the scores of {other}" if pair.other == ARTIFACT else other
        return f"{opening} gives {same} row by row."
    apart = wording.number(worst.largest.value)
    where = f", where {flips} of the decisions differ" if flips else ""
    why = "" if pair.one != RECIPE or owner_parts(bench)[1] else "; the rows it learned from need not be the owner's"
    return f"{opening} gives other scores than {other}: by up to {apart} on {which}{where}{why}."


# Which rows.


def _rows_apart(bench: Bench, pair: _Pair) -> tuple[list[str], list[TableView]]:
    """The rows of all parts that lie furthest apart, and the segment that they are, where they are one."""
    of_parts = [differences(one, other) for one, other, _ in pair.parts.values()]
    if any(one is None for one in of_parts):
        return [], []
    # Rows without a supplied score are no rows apart.
    apart = np.nan_to_num(np.concatenate([one for one in of_parts if one is not None]))
    positions = np.concatenate([rows for _, _, rows in pair.parts.values()])
    positions, first = np.unique(positions, return_index=True)
    apart = apart[first]
    if not len(apart) or apart.max() <= _SAME:
        return [], []
    furthest = np.argsort(-apart, kind="stable")[:_SHOWN]
    numbers = bench.subject.submitted_rows(positions[furthest]) + 1
    said = [
        _score_of_each(side, first)
        for side in zip(*((one, other) for one, other, _ in pair.parts.values()), strict=True)
    ]
    named = () if any(one is None for one in said) else (_SHORT[pair.one], _SHORT[pair.other])
    table = TableView(
        title=f"The {len(furthest)} rows that {_SHORT[pair.one]} and {_SHORT[pair.other]} score furthest apart",
        columns=("row of the data", *named, "scores apart by"),
        rows=tuple(
            (
                text(wording.count(int(number))),
                *(text(wording.number(float(one[place]))) for one in said if one is not None and named),
                text(wording.number(float(apart[place]))),
            )
            for number, place in zip(numbers, furthest, strict=True)
        ),
    )
    return _where(bench, positions, apart), [table]


def _score_of_each(parts: Sequence[AnyScored], first: Rows) -> Numbers | None:
    """The one score of each row of all parts together; None where there are several."""
    found = []
    for rows in parts:
        if not isinstance(rows, Scored | ScoredNumbers):
            return None
        found.append(rows.scores if isinstance(rows, Scored) else rows.predictions)
    return np.concatenate(found)[first]


_SHORT = {RECIPE: "the recipe", ARTIFACT: "the fitted model", SCORES: "the supplied scores"}


def _by_value(column: Column) -> Column:
    """A column of numbers with few values by value, as a zone or a shift is; others as they are."""
    if column.kind == "number" and len(np.unique(column.values[~column.missing])) <= _MOST_VALUES:
        return as_category(column)
    return column


def _where(bench: Bench, positions: Rows, apart: Numbers) -> list[str]:
    """The segment that rows apart are, in a sentence; none where no segment holds most of them and hardly others.

    Apart are first all that differ by more than rounding, then those that differ by a tenth of the largest difference.
    """
    if apart.max() < _WORTH_TELLING:
        return []
    columns = [bench.subject.table.column(name).take(positions) for name in bench.subject.features]
    for beyond in (_ROUNDING, float(apart.max()) / 10):
        far = apart > beyond
        if not 0 < far.sum() < len(far) / 2:
            continue
        segments = (one for column in columns for one in divided(_by_value(column)))
        held = [(int(far[one.places].sum()), one) for one in segments if len(one.places)]
        inside, best = max(held, key=lambda pair: pair[0] / (far.sum() + len(pair[1].places) - pair[0]))
        if min(inside / far.sum(), inside / len(best.places)) >= _MOSTLY:
            others = int(far.sum()) - inside
            elsewhere = wording.count(len(far) - len(best.places))
            rest = f"{wording.count(others) if others else 'none'} of the other {elsewhere}"
            return [
                f"They lie apart, by more than {beyond:.2g}, where {best.words}: {wording.count(inside)} of "
                f"{wording.rows(len(best.places))} there, {rest}."
            ]
    return []
