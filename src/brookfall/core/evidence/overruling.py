"""A standing that a reviewer overruled, with the reason: it stands beside what was computed, and never in its place."""

from datetime import datetime
from typing import Literal

from brookfall.core.evidence.estimate import Frozen
from brookfall.core.evidence.limit import Standing

OverruledAs = Literal["within", "near", "outside"]
"""How an exhibit can be taken; that these rows can't tell is a fact, and nobody's judgement."""


class Overruled(Frozen):
    """An exhibit that is taken otherwise than it stands: by whom, when (in UTC), and why."""

    exhibit: int
    check: str
    title: str
    standing: Standing
    taken_as: OverruledAs
    reason: str
    by: str
    at: datetime

    @property
    def words(self) -> str:
        """A line of what is signed.

        >>> one = Overruled(
        ...     exhibit=3, check="gap", title="Gap", standing=Standing.OUTSIDE, taken_as="near", by="Iris",
        ...     reason="The rows of May are one storm.", at=datetime(2027, 1, 1),
        ... )
        >>> one.words
        'Exhibit 3, gap, stands outside and is taken as near by Iris: The rows of May are one storm.'
        """
        return (
            f"Exhibit {self.exhibit}, {self.title.lower()}, stands {self.standing} and is taken as {self.taken_as} by "
            f"{self.by}: {self.reason}"
        )

    def as_override(self) -> dict[str, str]:
        """As the evidence file lists it among the overrides."""
        return {
            "kind": "standing",
            "exhibit": str(self.exhibit),
            "check": self.check,
            "standing": str(self.standing),
            "taken_as": self.taken_as,
            "reason": self.reason,
            "by": self.by,
            "at": self.at.isoformat(),
        }
