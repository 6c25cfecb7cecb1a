"""Runs many fits in this process, one after the other."""

from collections.abc import Iterator

from brookfall.core.fit.execute import FitResult, execute
from brookfall.core.fit.request import FitJob
from brookfall.core.submission.subject import Subject


def run_fits(jobs: tuple[FitJob, ...], subject: Subject) -> Iterator[FitResult]:
    """Results in the order of the jobs.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> from brookfall.core.retest.run import ask, jobs_of
    >>> len(list(run_fits(jobs_of(ask(bench)), bench.subject)))
    7
    """
    for job in jobs:
        yield execute(job, subject)
