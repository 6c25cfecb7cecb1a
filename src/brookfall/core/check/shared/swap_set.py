"""The swap set: rows that two versions decide otherwise, and how those rows turned out."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.check.check import Draft, at, text
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import StripChart, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import NO_ROW, Figure, absent
from brookfall.core.measure.influence_function import figure_of, mean_of
from brookfall.core.measure.interval import independent_difference, share_of
from brookfall.core.measure.scored import AnyScored, Picked, Scored, ScoredClasses, ScoredNumbers

IN_USE = "in_use"
_WORDS = {
    "swapped_in": "chosen now, not before",
    "swapped_out": "chosen before, not now",
    "chosen_by_both": "chosen by both",
    "chosen_by_neither": "chosen by neither",
}


@dataclass(frozen=True)
class Sides:
    """What is said of the rows that change side."""

    said: tuple[str, ...]
    charts: tuple[StripChart, ...] = ()
    tables: tuple[TableView, ...] = ()


def sides_of(bench: Bench, draft: Draft, ours: ScoredPart, theirs: ScoredPart) -> Sides:
    """Who changes side; of numbers, how far predictions move and which version comes nearer."""
    new, old = ours.scored, theirs.scored
    if isinstance(new, Scored) and isinstance(old, Scored):
        if not (new.decides and old.decides):
            return Sides(("No threshold is declared, so nothing is known of who changes side.",))
        return _swaps(bench.subject.target.positive, draft, new, old)
    if isinstance(new, Picked) and isinstance(old, Picked):
        return _classes(bench.subject.unit, draft, ours.part, new.as_classes, old.as_classes)
    if isinstance(new, ScoredClasses) and isinstance(old, ScoredClasses):
        return _classes(bench.subject.unit, draft, ours.part, new, old)
    if isinstance(new, ScoredNumbers) and isinstance(old, ScoredNumbers):
        return _nearer(draft, ours.part, new, old)
    raise TypeError("the rows are of two kinds of outcome")


def _swaps(positive: str, draft: Draft, new: Scored, old: Scored) -> Sides:
    sets = {
        "swapped_in": new.decisions & ~old.decisions,
        "swapped_out": ~new.decisions & old.decisions,
        "chosen_by_both": new.decisions & old.decisions,
        "chosen_by_neither": ~new.decisions & ~old.decisions,
    }
    versus = Versus(model=IN_USE)
    shares = {
        name: draft.add("share", share_of(rows, new).figure(), part=name, versus=versus) for name, rows in sets.items()
    }
    rates = {name: draft.add("base_rate", _rate(new, rows), part=name) for name, rows in sets.items()}
    apart = _difference(draft, draft.figure(rates["swapped_in"]), draft.figure(rates["swapped_out"]))
    chart = pictures.ranking(
        f"Share of {positive} among those who change side, and those who don't",
        f"Share of {positive}",
        [(_WORDS[name], at_, "group" if name.startswith("swapped") else "reference") for name, at_ in rates.items()],
    )
    table = TableView(
        title="Who changes side",
        columns=("rows", "share of all rows", f"share of {positive} among them"),
        rows=tuple((text(_WORDS[name]), at(shares[name]), at(rates[name])) for name in sets),
    )
    came, went = (int(sets[name].sum()) for name in ("swapped_in", "swapped_out"))
    return Sides(_swap_said(draft, positive, (came, went), rates, apart), (chart,), (table,))


def _rate(rows: Scored, chosen: NDArray[np.bool_]) -> Figure:
    """The share of positives among some rows."""
    some = rows.take(chosen, "some")
    return _share(some, some.outcomes)


def _share(rows: AnyScored, hits: NDArray[np.bool_]) -> Figure:
    return share_of(hits, rows).figure().marked(few=rows.few) if len(rows) else absent(0, NO_ROW)


def _difference(draft: Draft, came: Figure, went: Figure) -> Figure | None:
    """The share of positives among those who come in, less that among those who go out; None where nobody does."""
    if came.value is None or went.value is None:
        return None
    apart = independent_difference(came, went).marked(few=came.few or went.few)
    draft.add("base_rate", apart, comparison="difference", part="swapped_in", versus=Versus(part="swapped_out"))
    return apart


def _swap_said(
    draft: Draft, positive: str, changes: tuple[int, int], rates: dict[str, int], apart: Figure | None
) -> tuple[str, ...]:
    came, went = (draft.figure(rates[name]) for name in ("swapped_in", "swapped_out"))
    if not any(changes):
        return ("They choose the very same rows.",)
    counts = [wording.rows(n) if n else "no row" for n in changes]
    said = f"{wording.capital(counts[0])} would be chosen anew and {counts[1]} no more."
    if apart is None:
        only, which = (came, "come in") if came.value is not None else (went, "go out")
        return said, f"Of those that {which} {_rate_words(only, draft.level)} turned out {positive}."
    what = (
        f"Of those that come in {_rate_words(came, draft.level)} turned out {positive}, of those that go out "
        f"{_rate_words(went, draft.level)}"
    )
    ends = apart.interval(draft.level)
    if apart.few:
        return said, f"{what}: too few to judge."
    if ends is not None and ends[0] > 0:
        return said, f"{what}: the exchange finds more of them."
    if ends is not None and ends[1] < 0:
        return said, f"{what}: the exchange loses some of them."
    return said, f"{what}: these rows can't tell which are better."


def _rate_words(rate: Figure, level: float) -> str:
    """A share in per cent, with its interval."""
    ends = rate.interval(level)
    between = "" if ends is None else f" [{wording.number(100 * ends[0], 0)} to {wording.number(100 * ends[1], 0)}]"
    return f"{wording.percent(rate.value, 0)}{between}"


def _classes(unit: str, draft: Draft, part: str, new: ScoredClasses, old: ScoredClasses) -> Sides:
    changed = new.decisions != old.decisions
    share = share_of(changed, new).figure()
    draft.add("flipped", share, part=part, versus=Versus(model=IN_USE))
    moved = [rows.take(changed, "changed") for rows in (new, old)]
    right = [_share(rows, rows.decisions == rows.outcomes) for rows in moved]
    draft.add("accuracy", right[0], part="decided_otherwise")
    draft.add("accuracy", right[1], model=IN_USE, part="decided_otherwise")
    said = f"They decide {_rate_words(share, draft.level)} of the {unit}s otherwise"
    if not changed.any():
        return Sides((f"They decide every {unit} alike.",))
    return Sides(
        (
            f"{said}; of those the submitted version is right on {_rate_words(right[0], draft.level)}, the one in use "
            f"on {_rate_words(right[1], draft.level)}.",
        )
    )


def _nearer(draft: Draft, part: str, new: ScoredNumbers, old: ScoredNumbers) -> Sides:
    ours, theirs = (np.abs(rows.predictions - rows.outcomes) for rows in (new, old))
    moved = figure_of(mean_of(np.abs(new.predictions - old.predictions), new.counted), new, low=0.0)
    nearer = share_of(ours < theirs, new).figure().marked(few=new.few)
    draft.add("mean_score", moved, comparison="difference", part=part, versus=Versus(model=IN_USE))
    draft.add("nearer", nearer, part=part, versus=Versus(model=IN_USE))
    return Sides(
        (
            f"Predictions move by {wording.figure_to(moved, draft.level)} on average; the submitted version comes "
            f"nearer on {_rate_words(nearer, draft.level)} of the rows.",
        )
    )
