"""Where readings are kept: a fit made once is never made again."""

from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.execute import FitResult
from brookfall.core.fit.request import Need


class FitFailedError(Exception):
    """A fit that a check rests on failed; the text says why."""


class Ledger(Protocol):
    """What a check reads from."""

    def scores(self, need: Need) -> NDArray[np.float64]:
        """The reading asked for; FitFailedError when its fit failed before it, KeyError when it was never made."""
        ...

    def seconds(self, fit: str) -> float:
        """The wall time of that fit."""
        ...

    def warnings(self, fit: str) -> tuple[str, ...]:
        """What the fit warned of, such as that it did not converge."""
        ...


@dataclass
class MemoryLedger:
    """A ledger in this process."""

    results: dict[str, FitResult] = field(default_factory=dict)

    def keep(self, result: FitResult) -> None:
        self.results[result.fit] = result

    def scores(self, need: Need) -> NDArray[np.float64]:
        result = self.results[need.fit.key]
        if result.failure and need.reading.key not in result.readings:
            raise FitFailedError(result.failure)
        return result.readings[need.reading.key]

    def seconds(self, fit: str) -> float:
        return self.results[fit].seconds

    def warnings(self, fit: str) -> tuple[str, ...]:
        return self.results[fit].warnings
