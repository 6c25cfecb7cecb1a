"""A limit, and the ways in which a figure can stand against it."""

from enum import StrEnum
from math import inf
from typing import Literal

from pydantic import BaseModel, ConfigDict


class Standing(StrEnum):
    """From best to worst: what these rows can't tell is no better than what they show to be kept."""

    WITHIN = "within"
    UNSETTLED = "unsettled"
    NEAR = "near"
    OUTSIDE = "outside"


Burden = Literal["reviewer", "model"]
"""Who has to show it: the reviewer that a limit is broken, or the model that it is kept."""


class Limit(BaseModel):
    """The closed range a value must keep, the value that would be ideal (None: none is), and the burden of proof.

    With the burden on the model, what is not shown to keep the limit is outside. ``policy`` is what the policy says, in
    words, where the plan departs from it.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    at_least: float | None = None
    at_most: float | None = None
    ideal: float | None = None
    burden: Burden = "reviewer"
    policy: str | None = None

    @property
    def low(self) -> float:
        return -inf if self.at_least is None else self.at_least

    @property
    def high(self) -> float:
        return inf if self.at_most is None else self.at_most

    def keeps(self, value: float) -> bool:
        return self.low <= value <= self.high

    def distance(self, value: float) -> float:
        """How far the value is from the nearer end of the range, in the measure's unit."""
        return min(abs(value - self.low), abs(value - self.high))

    @property
    def words(self) -> str:
        if self.at_least is not None and self.at_most is not None:
            words = f"between {self.at_least:g} and {self.at_most:g}"
        else:
            words = f"≥ {self.at_least:g}" if self.at_least is not None else f"≤ {self.at_most:g}"
        return words.replace("-", "−")
