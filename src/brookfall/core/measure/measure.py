"""What a measure is: one object that holds everything that is said and computed of it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from brookfall.core.measure.figure import NO_ROW, Figure, absent
from brookfall.core.measure.influence_function import Linear
from brookfall.core.measure.scored import Needs, Numbers, Outcomes

Shown = Literal["plan", "parts", "strip", "brief", "class", "dial"]
"""Where a measure stands: among the plan's choices, in the table over parts, on its strip, among the few in which a
comparison is made, in the table by class, on the dial of complexity."""

Scale = Literal["share", "unit", "square"]
"""What a strip is drawn on: shares of 1, the target's own unit, its square."""

Better = Literal["higher", "lower"] | float | None
"""Which way flatters a model: higher, lower, or nearer to a value; None where neither does."""


@dataclass(frozen=True)
class Form:
    """How a measure is taken of one kind of outcome.

    Parameters
    ----------
    figure
        From rows that all have a score and a weight above 0, at least one, to the value with its interval.
    influence
        From such rows to the value with the influence of each row on it; None where it has no smooth one.
    few
        Whether such rows are too few to judge by it; by default as few as for any measure.
    needs
        What it needs of the model: a decision, a score, or a probability.
    hits
        Where it is a share of all rows: which of them count.
    losses
        Where it is the mean of a loss of each row: these losses, shape (n,).
    chance_loss
        The mean of that loss over all pairs of one row's outcome and another's score.
    chance
        What a guess without looking reaches, from the shares of the classes (K,), empty for a number.
    shown
        Where it stands without being asked for.
    standard
        Whether the standard plan judges this kind of outcome by it.
    value
        From such rows to the value alone, as ``figure`` has it; for measures whose interval takes long.
    """

    figure: Callable[[Any], Figure]
    influence: Callable[[Any], Linear | None] | None = None
    few: Callable[[Any], bool] | None = None
    needs: Needs = "score"
    hits: Callable[[Any], Outcomes] | None = None
    losses: Callable[[Any], Numbers] | None = None
    chance_loss: Callable[[Any], float] | None = None
    chance: Callable[[Numbers], float] | None = None
    shown: frozenset[Shown] = frozenset()
    standard: bool = False
    value: Callable[[Any], float | None] | None = None

    def take(self, rows: Any) -> Figure:
        """The figure of rows that all have a score and a weight above 0; absent with the reason where there is none."""
        n = len(rows)
        if not n:
            return absent(0, NO_ROW)
        lacking = rows.lacks(self.needs)
        if lacking is not None:
            return absent(n, lacking)
        figure = self.figure(rows)
        return figure if figure.value is None else figure.marked(few=self.is_few(rows))

    def take_value(self, rows: Any) -> float | None:
        """The value that :meth:`take` finds; None where there is none."""
        if not len(rows) or rows.lacks(self.needs) is not None:
            return None
        return self.figure(rows).value if self.value is None else self.value(rows)

    def is_few(self, rows: Any) -> bool:
        """Whether rows are too few to judge by it."""
        return bool(rows.few if self.few is None else self.few(rows))


@dataclass(frozen=True)
class Measure:
    """A measure: its name, its words, how it is taken of each kind of outcome, and which way is better.

    Parameters
    ----------
    name
        Snake case, the field's own; the key in plans, claims and evidence.
    words
        As the trade writes it, inside a sentence.
    forms
        How it is taken, by kind of outcome; none for a quantity that only a check computes.
    better
        Which way flatters a model.
    range
        The values it can take, lowest and highest; None is no end.
    scale
        What it is drawn on.
    of_a_class
        Whether one class of several can have it on its own, against the rest.
    gap
        Whether the distance from training to unseen rows says anything.
    formula
        In words or signs, for its page.
    source
        Where formula and interval are from.
    """

    name: str
    words: str
    forms: Mapping[str, Form] = field(default_factory=dict)
    better: Better = "higher"
    range: tuple[float | None, float | None] = (0.0, 1.0)
    scale: Scale = "share"
    of_a_class: bool = False
    gap: bool = True
    formula: str = ""
    source: str = "common practice"

    @property
    def lower_is_better(self) -> bool:
        return self.better == "lower"

    @property
    def bounded(self) -> bool:
        """Whether it lies in 0 to 1, as shares do."""
        return self.range == (0.0, 1.0)

    @property
    def sign(self) -> float:
        """1 where more is better, −1 where less is."""
        return -1.0 if self.lower_is_better else 1.0

    def flatters(self, claimed: float, found: float) -> bool:
        """Whether a claimed value shows the model in a better light than the one found.

        Of a quantity that flatters neither way, a claim of more counts as the one that does.

        >>> Measure("rmse", "RMSE", better="lower").flatters(2.0, 3.0), Measure("s", "s", better=1.0).flatters(0.7, 0.9)
        (True, False)
        """
        if isinstance(self.better, float):
            return abs(claimed - self.better) < abs(found - self.better)
        return claimed < found if self.lower_is_better else claimed > found

    def can_be(self, value: float) -> bool:
        """Whether the value lies in its range.

        >>> Measure("auc", "AUC").can_be(1.7), Measure("rmse", "RMSE", range=(0.0, None)).can_be(1.7)
        (False, True)
        """
        low, high = self.range
        return (low is None or value >= low) and (high is None or value <= high)
