"""A limit, and the ways in which a figure can stand against it."""

from enum import StrEnum
from math import inf

from pydantic import BaseModel, ConfigDict


class Standing(StrEnum):
    """From best to worst for what is settled; ``unsettled`` weighs on nothing."""

    WITHIN = "within"
    NEAR = "near"
    OUTSIDE = "outside"
    UNSETTLED = "unsettled"


class Limit(BaseModel):
    """The closed range a value must keep, and the value that would be ideal (None: none is)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    at_least: float | None = None
    at_most: float | None = None
    ideal: float | None = None

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
