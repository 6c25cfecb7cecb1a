"""The Brier skill score: how much better than the base rate a probability is."""

import numpy as np

from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.measure import Form, Measure
from brookfall.core.measure.scored import Scored


def influence(rows: Scored) -> Linear | None:
    """1 less the Brier score over that of the base rate, with the influence of each row."""
    if not rows.has_both:
        return None
    base = float(rows.counted @ rows.outcomes / rows.counted.sum())
    ours = mean_of(np.square(rows.scores - rows.outcomes, dtype=np.float64), rows.counted)
    share = ratio_of(ours, mean_of(np.square(base - rows.outcomes, dtype=np.float64), rows.counted))
    return Linear(1 - share.value, -share.influence)


def figure(rows: Scored) -> Figure:
    """The skill with Hall's interval."""
    found = influence(rows)
    return (
        absent(len(rows), "only one class among these rows") if found is None else figure_of(found, rows, -np.inf, 1.0)
    )


BRIER_SKILL = Measure(
    "brier_skill",
    "Brier skill",
    {"binary": Form(figure, influence, needs="probability", shown=frozenset({"plan", "parts"}))},
    range=(None, 1.0),
    formula="1 − Brier score / Brier score of the base rate",
    source="common practice",
)
