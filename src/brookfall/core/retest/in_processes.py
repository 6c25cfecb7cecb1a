"""A plan carried out by several processes of one machine: its fits, and each exhibit once its fits are there."""

import multiprocessing
import os
import tempfile
from collections.abc import Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import FitResult, execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import FitJob
from brookfall.core.foundation.one_thread import ONE_THREAD
from brookfall.core.foundation.shared_copy import read_shared, write_shared
from brookfall.core.retest.run import Asked, Progress, evaluate

_IMPORTED = ["brookfall.core.retest.in_processes", "lightgbm", "sklearn.ensemble", "sklearn.linear_model"]


@dataclass(frozen=True)
class _Work:
    """All that the processes read, the same for each."""

    bench: Bench
    asked: tuple[Asked, ...]
    jobs: tuple[FitJob, ...]


_work: _Work | None = None


def retest_in_processes(
    bench: Bench, asked: tuple[Asked, ...], jobs: tuple[FitJob, ...], workers: int, progress: Progress
) -> tuple[Exhibit, ...]:
    """The exhibits in the order of ``asked``. Each process uses one thread; the rows are in memory once for all."""
    results: dict[str, FitResult] = {}
    exhibits: dict[int, Exhibit] = {}
    rests_on = [one.fits for one in asked]
    missing = [set(keys) for keys in rests_on]
    left = set(range(len(asked)))
    with _pool(_Work(bench, asked, jobs), workers) as pool:
        under_way: set[Future[FitResult | tuple[int, Exhibit]]] = {
            pool.submit(_fit, place) for place in range(len(jobs))
        }
        while under_way or left:
            for place in sorted(place for place in left if not missing[place]):
                left.remove(place)
                under_way.add(pool.submit(_exhibit, place, tuple(results[key] for key in rests_on[place])))
            done, under_way = wait(under_way, return_when=FIRST_COMPLETED)
            for found in (future.result() for future in done):
                if isinstance(found, FitResult):
                    results[found.fit] = found
                    for keys in missing:
                        keys.discard(found.fit)
                    progress(len(results), len(jobs))
                else:
                    exhibits |= [found]
    return tuple(exhibits[place] for place in range(len(asked)))


@contextmanager
def _pool(work: _Work, workers: int) -> Iterator[ProcessPoolExecutor]:
    os.environ.update(ONE_THREAD)
    # Forked from a server that has imported and computed nothing: children of a process in which histogram boosting ran
    # would hang, and spawned ones would each import for seconds.
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_IMPORTED)
    with tempfile.TemporaryDirectory(prefix="brookfall-") as folder:
        path = Path(folder) / "work"
        write_shared(work, path)
        with ProcessPoolExecutor(workers, context, initializer=_start, initargs=(path,)) as pool:
            try:
                yield pool
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise


def _start(path: Path) -> None:
    global _work  # noqa: PLW0603 - one piece of work a process, set once at its start
    _work = read_shared(path)


def _started() -> _Work:
    if _work is None:
        raise RuntimeError("the process was not started with its work")
    return _work


def _fit(place: int) -> FitResult:
    work = _started()
    return execute(work.jobs[place], work.bench.subject)


def _exhibit(place: int, read: tuple[FitResult, ...]) -> tuple[int, Exhibit]:
    work = _started()
    ledger = MemoryLedger({result.fit: result for result in read})
    return place, evaluate(work.asked[place], work.bench, ledger)
