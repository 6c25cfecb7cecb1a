"""What a threshold decides on some rows, in a sentence with intervals; and its cost."""

from brookfall.core.foundation import wording
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.scored import Scored

UNDECIDED = "No threshold is declared; the picture shows what each would decide."
_READ = ("recall", "precision", "selection_rate")


def read_at(rows: Scored, part: str, threshold: float, miss_cost: float | None, level: float) -> str:
    """What a threshold decides on these rows, in a sentence with intervals; and its cost, where a miss has one.

    >>> import numpy as np
    >>> rows = Scored(key="", outcomes=np.arange(60) % 2 == 0, scores=np.linspace(1, 0, 60), threshold=0.5)
    >>> read_at(rows, "test", 0.5, None, 0.95)
    'At a threshold of 0.5, on 60 test rows: recall 0.500 [0.332, 0.668], precision 0.500 [0.332, 0.668], \
selection rate 0.500 [0.377, 0.623].'
    """
    known = rows.take(rows.known(), "scored")
    there = known.at(threshold)
    figures = [f"{words_of(name)} {wording.figure(measure(name, there), level)}" for name in _READ]
    part_words = part.replace("_", "-")
    said = f"At a threshold of {threshold:g}, on {wording.count(len(known))} {part_words} rows: {', '.join(figures)}."
    if miss_cost is None:
        return said
    cost = wording.number(_cost(there, miss_cost), 0)
    said = f"{said} With a miss as dear as {miss_cost:g} false alarms it costs {cost} false alarms"
    if rows.threshold is None:
        return f"{said}."
    submitted = wording.number(_cost(known.at(rows.threshold), miss_cost), 0)
    return f"{said}; at {rows.threshold:g}, which decides here, it is {submitted}."


def _cost(rows: Scored, miss_cost: float) -> float:
    """In false alarms, weights counted."""
    missed = float(rows.counted[rows.outcomes & ~rows.decisions].sum())
    wrong = float(rows.counted[~rows.outcomes & rows.decisions].sum())
    return wrong + miss_cost * missed
