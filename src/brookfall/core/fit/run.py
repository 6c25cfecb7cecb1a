"""Runs many fits in this process or in several, and keeps them as they come."""

import multiprocessing
import os
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed

from brookfall.core.fit.execute import FitResult, execute
from brookfall.core.fit.request import FitJob
from brookfall.core.foundation.one_thread import ONE_THREAD
from brookfall.core.submission.subject import Subject

_IMPORTED = ["brookfall.core.fit.execute", "lightgbm", "sklearn.ensemble", "sklearn.linear_model"]

_subject: Subject | None = None


def run_fits(jobs: tuple[FitJob, ...], subject: Subject, workers: int) -> Iterator[FitResult]:
    """Results in the order they finish. More than one worker means processes of one thread each.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> from brookfall.core.retest.run import ask, jobs_of
    >>> len(list(run_fits(jobs_of(ask(bench)), bench.subject, workers=1)))
    7
    """
    if workers <= 1 or len(jobs) < 2:
        for job in jobs:
            yield execute(job, subject)
        return
    os.environ.update(ONE_THREAD)
    # Forked from a server that has imported and computed nothing: children of a process in which histogram boosting ran
    # would hang, and spawned ones would each import for seconds.
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_IMPORTED)
    with ProcessPoolExecutor(workers, context, initializer=_start, initargs=(subject,)) as pool:
        for done in as_completed([pool.submit(_work, job) for job in jobs]):
            yield done.result()


def _start(subject: Subject) -> None:
    global _subject  # noqa: PLW0603 - one subject a worker process, set once at its start
    _subject = subject


def _work(job: FitJob) -> FitResult:
    if _subject is None:
        raise RuntimeError("the worker was not started with a subject")
    return execute(job, _subject)
