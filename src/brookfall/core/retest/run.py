"""From a bench to exhibits: what a plan asks for, and each check's exhibit once its fits are there."""

import time
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Fits, Written, not_applicable, number_exhibit
from brookfall.core.check.program import program_digest, sources_of
from brookfall.core.check.registry import checks
from brookfall.core.check.standard_plan import known_checks
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.ledger import FitFailedError, Ledger, MemoryLedger
from brookfall.core.fit.request import ArtifactRequest, FitJob, Need, gather
from brookfall.core.fit.run import run_fits
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import forms, uses_noted

NO_FEATURES = "This needs a feature, and no column is one."
NO_RECIPE = "This needs a recipe to refit, and none was submitted."
UNKNOWN_ROWS = "Nothing says which rows the fitted model learned from: give the column that says so the role part."
NO_MODEL = "There is neither a recipe to refit nor a supplied score, so there is no model to test."

Progress = Callable[[int, int], None]
"""Called with fits done and fits needed."""


def _unseen(_done: int, _needed: int) -> None:
    """Progress that nobody looks at."""


@dataclass(frozen=True)
class Asked:
    """A check with the needs it stated, or the reason why it can't be carried out."""

    number: int
    check: Check
    needs: tuple[Need, ...]
    reason: str | None = None

    @property
    def fits(self) -> tuple[str, ...]:
        """The keys of the fits that it reads, each once."""
        return tuple(dict.fromkeys(need.fit.key for need in self.needs))


def ask(bench: Bench, numbers: Mapping[str, int] | None = None) -> tuple[Asked, ...]:
    """The needs of every check of the plan. ``numbers`` are the exhibits' numbers by check; else they count from 1.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> [len(one.needs) for one in ask(bench)][4:8]
    [1, 0, 1, 5]
    """
    plan = known_checks(bench.plan)
    given = numbers or {name: place for place, name in enumerate(plan.checks, start=1)}
    return tuple(_ask_one(given[name], checks()[name], bench) for name in plan.checks)


def _ask_one(number: int, check: Check, bench: Bench) -> Asked:
    alone = check.asks and bench.can_be_asked
    if not bench.models and check.question != 1 and not alone:
        return Asked(number, check, (), UNKNOWN_ROWS if bench.has_artifact else NO_MODEL)
    if (check.refits and bench.subject.recipe is None) or (check.asks and not alone):
        return Asked(number, check, (), NO_RECIPE)
    if bench.subject.outcome not in check.outcomes:
        return Asked(number, check, (), f"There is no such check for a {bench.subject.outcome} outcome.")
    try:
        _refuse_other_measures(bench)
        needs = tuple(check.requests(bench.for_check(check)))
    except UserError as problem:
        return Asked(number, check, (), str(problem))
    learns = any(not need.fit.features for need in needs)
    if not bench.subject.features and (check.needs_features or learns):
        return Asked(number, check, (), NO_FEATURES)
    return Asked(number, check, needs)


def _refuse_other_measures(bench: Bench) -> None:
    main, outcome = bench.plan.main_measure, bench.subject.outcome
    if main not in forms(outcome, "plan"):
        raise UserError(
            f"The plan judges by {main}, which a {outcome} outcome does not have.",
            todo=f"Choose one of {', '.join(forms(outcome, 'plan'))}.",
        )


def jobs_of(asked: tuple[Asked, ...]) -> tuple[FitJob, ...]:
    """The distinct fits of all checks: what several ask for is made once.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> len(jobs_of(ask(bench)))
    7
    """
    return gather([need for one in asked for need in one.needs])


def evaluate(asked: Asked, bench: Bench, ledger: Ledger) -> Exhibit:
    """The exhibit of one check. A failed fit makes a failed exhibit that says why; it is never silent.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> evaluate(ask(bench)[0], bench, MemoryLedger()).check
    'profile'
    """
    started = time.perf_counter()
    with uses_noted() as measured:
        written = _written(asked, bench, ledger)
    keys = asked.fits
    seconds = time.perf_counter() - started + sum(ledger.seconds(key) for key in keys)
    sources = sources_of(asked.check.name, measured, {need.fit.source for need in asked.needs})
    remarks = (*_remarks(keys, ledger), *_of_failed_artifact(asked, ledger))
    fits = Fits(keys, seconds, remarks, sources, program_digest(sources))
    return number_exhibit(asked.check, asked.number, written, bench, bench.split.all_parts, fits)


def _remarks(keys: tuple[str, ...], ledger: Ledger) -> tuple[str, ...]:
    """What the fits warned of, each once, with how many of them did."""
    counts = Counter(warning for key in keys for warning in set(ledger.warnings(key)))
    return tuple(f"{count} of {len(keys)} fits warned: {warning}" for warning, count in sorted(counts.items()))


def _of_failed_artifact(asked: Asked, ledger: Ledger) -> tuple[str, ...]:
    """Why the fitted model is not among what was tested, where it failed."""
    scores = [need for need in asked.needs if isinstance(need.fit, ArtifactRequest)][:1]
    try:
        for need in scores:
            ledger.scores(need)
    except FitFailedError as problem:
        return (f"The fitted model could not be run: {problem}",)
    return ()


def faulted(asked: Asked, bench: Bench) -> Exhibit:
    """The exhibit of a check that a fault in Brookfall stopped: told plainly, the others go on.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> faulted(ask(bench)[0], bench).state
    'failed'
    """
    written = Written("A fault in Brookfall stopped this check; it was logged.", (), None, state="failed")
    return number_exhibit(asked.check, asked.number, written, bench, bench.split.all_parts, Fits(asked.fits, 0.0))


def _written(asked: Asked, bench: Bench, ledger: Ledger) -> Written:
    if asked.reason:
        return not_applicable(asked.reason)
    try:
        return asked.check.evaluate(bench.for_check(asked.check), ledger)
    except UserError as problem:
        return not_applicable(str(problem))
    except FitFailedError as problem:
        return Written(f"A fit that this rests on failed: {problem}.", (), None, state="failed")


def retest(bench: Bench, workers: int = 1, progress: Progress = _unseen) -> tuple[Exhibit, ...]:
    """Runs a whole plan in this process or in ``workers`` processes; the same bits either way.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> [exhibit.state for exhibit in retest(bench)][4:8]
    ['done', 'not_applicable', 'done', 'done']
    """
    asked = ask(bench)
    jobs = jobs_of(asked)
    if workers > 1 and max(len(jobs), len(asked)) > 1:
        from brookfall.core.retest.in_processes import retest_in_processes  # rests on this module

        return retest_in_processes(bench, asked, jobs, workers, progress)
    ledger = MemoryLedger()
    for done, result in enumerate(run_fits(jobs, bench.subject), start=1):
        ledger.keep(result)
        progress(done, len(jobs))
    return tuple(evaluate(one, bench, ledger) for one in asked)
