"""The recipe refitted as the owner fitted it, set row by row against the scores that the owner supplied."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import RECIPE, SCORES, Bench
from brookfall.core.check.check import Draft, at, text
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.measure.score_agreement_of_rows import Agreement, agreement
from brookfall.core.resample.parts import split_parts

_SAME = 1e-6
"""Scores that differ by less were written with so many digits and no more."""


@dataclass(frozen=True)
class Agreed:
    """What is added to the exhibit on the claims: a sentence, and a table."""

    sentence: str
    table: TableView


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
    """The recipe on the owner's training rows, read on every row that came with a score; none where not both are."""
    if not {RECIPE, SCORES} <= set(bench.models):
        return []
    parts, _ = owner_parts(bench)
    rows = _scored_rows(bench)
    return [Need(bench.fit(parts["training"]), ScoreReading(rows))] if len(rows) else []


def _scored_rows(bench: Bench) -> Rows:
    """Rows with a supplied score that the recipe can score too."""
    every = np.sort(np.concatenate(list(bench.supplied_parts.values())))
    return np.intersect1d(every, bench.subject.rows)


def agree(bench: Bench, ledger: Ledger, draft: Draft) -> Agreed | None:
    """Part by part: the largest and the typical difference, and the share of decisions that differ."""
    needs = agree_needs(bench)
    if not needs:
        return None
    (need,) = needs
    scores, known = ledger.scores(need), need.reading.rows
    found: dict[str, Agreement] = {}
    for part, rows in bench.supplied_parts.items():
        common = np.intersect1d(rows, known)
        if len(common):
            ours = bench.scored(common, scores[np.searchsorted(known, common)], need.fit.seed_key)
            found[part] = agreement(ours, bench.supplied_scores.on(common))
    return Agreed(_sentence(bench, found, draft.level), _table(draft, found))


def _table(draft: Draft, found: dict[str, Agreement]) -> TableView:
    named = {"largest_score_difference": "largest difference", "mean_score_difference": "mean size of the difference"}
    decided = any(one.flipped is not None for one in found.values())
    rows = []
    for part, one in found.items():
        figures = {"largest_score_difference": one.largest, "mean_score_difference": one.typical}
        if one.flipped is not None:
            figures["flipped"] = one.flipped
        places = [draft.add(name, figure, part=part, versus=Versus(model=SCORES)) for name, figure in figures.items()]
        rows.append((text(part), *(at(place) for place in places)))
    return TableView(
        title="Refitted here against the supplied scores, row by row",
        columns=("part", *named.values(), *(("decided otherwise",) if decided else ())),
        rows=tuple(rows),
    )


def _sentence(bench: Bench, found: dict[str, Agreement], level: float) -> str:
    part, worst = max(found.items(), key=lambda one: one[1].largest.value or 0.0)
    flips = "" if worst.flipped is None else wording.figure(worst.flipped, level)
    if worst.largest.value is None:
        which = "rows" if part == "all" else f"{part} rows"
        return f"Refitted here, it decides {flips} of the {which} otherwise than was supplied."
    if worst.largest.value <= _SAME:
        return "Refitted here, the recipe gives the supplied scores row by row."
    apart = wording.number(worst.largest.value)
    where = f", where {flips} of the decisions differ" if flips else ""
    why = "" if owner_parts(bench)[1] else "; the rows it learned from need not be the owner's"
    return f"Refitted here, it gives other scores than were supplied: by up to {apart} on {part} rows{where}{why}."
