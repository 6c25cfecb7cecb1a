"""Replay of one exhibit: everything that it rests on is fitted again, past the ledger, and compared bit for bit."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.run import run_fits
from brookfall.core.retest.differences import OTHER_PROCESSOR, Difference, differences
from brookfall.core.retest.run import Asked, evaluate, jobs_of

Outcome = Literal["same", "near", "other"]


@dataclass(frozen=True)
class Replayed:
    """What came of a replay. ``same``: every bit; ``near``: within 1e-9, so another processor computed it."""

    outcome: Outcome
    differences: tuple[Difference, ...]
    estimates: int
    fits: int

    @property
    def words(self) -> str:
        """The outcome in a sentence.

        >>> Replayed("same", (), 34, 5).words
        'Fitted again (5 fits) and computed anew: all 34 estimates are the same, bit for bit.'
        """
        fits = f"{self.fits} fit{'' if self.fits == 1 else 's'}"
        numbers = f"{self.estimates} estimate{'' if self.estimates == 1 else 's'}"
        done = f"Fitted again ({fits}) and computed anew" if self.fits else "Computed anew"
        if self.outcome == "same":
            return f"{done}: {'all ' if self.estimates != 1 else ''}{numbers} are the same, bit for bit."
        if self.outcome == "near":
            return (
                f"{done}: {numbers} agree to {OTHER_PROCESSOR:g}, not to the last bit; another processor computed them."
            )
        return f"{done}: {len(self.differences)} of what it says came out otherwise."


def replay(bench: Bench, asked: Asked, before: Exhibit, progress: Callable[[int, int], None] | None = None) -> Replayed:
    """Refits and computes one exhibit again and compares it with ``before``; nothing kept is used.

    ``progress`` is called with fits done and needed.

    >>> from brookfall.core.check.example import small_bench
    >>> from brookfall.core.retest.run import ask, retest
    >>> bench = small_bench()
    >>> replay(bench, ask(bench)[6], retest(bench)[6]).outcome
    'same'
    """
    jobs = jobs_of((asked,))
    ledger = MemoryLedger()
    for done, result in enumerate(run_fits(jobs, bench.subject), start=1):
        ledger.keep(result)
        if progress:
            progress(done, len(jobs))
    again = evaluate(asked, bench, ledger)
    found = differences((before,), (again,))
    outcome: Outcome = "same" if not found else "other"
    if found and not differences((before,), (again,), OTHER_PROCESSOR):
        outcome = "near"
    return Replayed(outcome, tuple(found), len(again.estimates), len(jobs))
