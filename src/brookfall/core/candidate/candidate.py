"""What a candidate is: a model that can be scored on rows, whatever it is made of."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import ClassVar

from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.scored import AnyScored

OUT_OF_FOLD = "out_of_fold"
RECIPE = "recipe"
SCORES = "scores"
BASELINE = "baseline"
IN_USE = "in_use"
ARTIFACT = "artifact"


@dataclass(frozen=True)
class ScoredPart:
    """A part as a candidate scored it: the part's name, sorted row positions, and the rows with their scores.

    Of a choice there is one position for each occasion: that of its chosen row.
    """

    part: str
    positions: Rows
    scored: AnyScored


class Candidate(ABC):
    """A model that can be scored on rows: refitted, supplied, or made of the outcomes alone.

    ``name`` is its key in estimates, ``words`` what it is called, ``colour`` the name of its colour on every chart.
    """

    name: str
    words: str
    colour: str
    refits: ClassVar[bool] = False
    """Whether its scores come from fits made here."""

    @property
    @abstractmethod
    def parts(self) -> tuple[str, ...]:
        """The parts that it can be scored on, out-of-fold rows first where there are any."""

    @abstractmethod
    def needs(self, part: str) -> tuple[Need, ...]:
        """The fits whose readings give its scores of a part; UserError where it has none of it."""

    @abstractmethod
    def scored(self, ledger: Ledger, part: str) -> ScoredPart:
        """The rows of a part with its scores; UserError where it has none of it."""

    def refuse_other(self, part: str) -> None:
        """UserError where the part is none of its own."""
        if part not in self.parts:
            todo = f"Ask for {' or '.join(self.parts)}." if self.parts else "Choose another model."
            raise UserError(f"There are no scores of {part} by this model: {self.words}.", todo=todo)
