"""A fit that goes astray: its limits, what it warns of, and how long it would take."""

import resource
import signal
import threading
import time
from dataclasses import replace

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob, ScoreReading
from brookfall.core.fit.time_and_memory_limits import FitLimitError, limited, unbroken
from brookfall.core.fit.trial_fits import Trial, trial_key, try_fit
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from tests.conftest import small_plan
from tests.core.test_unseen import frame, plan, subject


def endless() -> None:
    while True:
        time.sleep(0.01)


def test_what_takes_too_long_is_broken_off() -> None:
    with pytest.raises(FitLimitError, match=r"limit of 0\.2 seconds"), limited(0.2, 0):
        endless()


def test_limits_are_lifted_afterwards() -> None:
    before = (resource.getrlimit(resource.RLIMIT_AS), signal.getsignal(signal.SIGALRM))
    with limited(60, 500):
        assert resource.getrlimit(resource.RLIMIT_AS) != before[0]
    with pytest.raises(RuntimeError), limited(60, 500):
        raise RuntimeError
    assert (resource.getrlimit(resource.RLIMIT_AS), signal.getsignal(signal.SIGALRM)) == before
    assert signal.getitimer(signal.ITIMER_REAL)[0] == 0


def test_what_asks_for_too_much_memory_gets_none() -> None:
    with pytest.raises(MemoryError), limited(0, 200):
        np.ones(400 << 20, dtype=np.uint8)
    assert np.ones(100 << 20, dtype=np.uint8).nbytes == 100 << 20


def test_a_thread_is_not_limited_and_breaks_nothing() -> None:
    seen: list[int] = []

    def work() -> None:
        with limited(0.01, 1):
            time.sleep(0.05)
            seen.append(1)

    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    assert seen == [1]


def test_the_limit_takes_hold_after_what_must_not_be_broken_off() -> None:
    whole: list[int] = []

    def work() -> None:
        with unbroken():
            time.sleep(0.2)
            whole.append(1)
        endless()

    with pytest.raises(FitLimitError), limited(0.05, 0):
        work()
    assert whole == [1]


def test_memory_has_its_limit_again_after_what_must_not_be_broken_off() -> None:
    with limited(60, 200):
        limit = resource.getrlimit(resource.RLIMIT_AS)
        with unbroken():
            assert np.ones(400 << 20, dtype=np.uint8).nbytes == 400 << 20
        assert resource.getrlimit(resource.RLIMIT_AS) == limit


def test_what_was_read_before_a_reading_failed_is_there(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    def failing(*_: object) -> None:
        raise ValueError("out of patience")

    monkeypatch.setattr("brookfall.core.fit.execute.influence", failing)
    made = {one.check: one for one in retest(replace(bench, plan=small_plan(checks=["holdout", "gap", "influence"])))}
    assert {name: one.state for name, one in made.items()} == {"holdout": "done", "gap": "done", "influence": "failed"}
    assert "out of patience" in made["influence"].answer


def test_a_slow_fit_is_a_failed_one_with_its_reason() -> None:
    slow = Recipe(family="adaboost", settings={"trees": 2000, "depth": 5})
    bench = Bench(replace(subject(data=frame(3000)), recipe=slow), plan("holdout"))
    job = FitJob(bench.fit(bench.split.parts["training"]), (ScoreReading(bench.split.parts["test"]),))
    with limited(0.5, 0):
        result = execute(job, bench.subject)
    assert result.failure is not None
    assert "longer than its limit of 0.5 seconds" in result.failure
    assert result.readings == {}


def test_a_fit_out_of_memory_is_a_failed_one_with_its_reason(monkeypatch: pytest.MonkeyPatch) -> None:
    bench = Bench(subject(), plan("holdout"))

    def greedy(*_: object) -> None:
        raise MemoryError("Unable to allocate 7.45 GiB")

    monkeypatch.setattr("brookfall.core.fit.execute.raw_matrix", greedy)
    result = execute(FitJob(bench.fit(np.arange(90)), (ScoreReading(np.arange(90)),)), bench.subject)
    assert result.failure == "it ran out of memory (Unable to allocate 7.45 GiB)"


def exhibit(recipe: Recipe) -> Exhibit:
    return retest(Bench(replace(subject(), recipe=recipe), plan("holdout")))[0]


def test_what_did_not_converge_is_told_in_the_exhibit() -> None:
    (remark,) = exhibit(Recipe(family="neural_network", settings={"epochs": 1})).provenance.remarks
    assert remark.startswith("1 of 1 fits warned: ")
    assert "converge" in remark
    assert exhibit(Recipe(family="logistic")).provenance.remarks == ()


# How long.


def test_a_kind_of_fit_is_known_by_all_but_rows_and_seed() -> None:
    bench = Bench(subject(), plan("holdout"))
    rows = np.arange(100)
    own = trial_key(bench.fit(rows))
    assert own == trial_key(bench.fit(rows + 5))
    assert own == trial_key(bench.fit(rows, bench.recipe.model_copy(update={"seed": 99})))
    assert own != trial_key(bench.fit(rows, Recipe(family="tree")))
    assert own != trial_key(bench.fit(rows, features=("x",)))


def test_trials_grow_along_the_power_they_show() -> None:
    assert Trial((300, 1200), (0.1, 1.6)).seconds_for(4800) == pytest.approx(25.6)
    assert Trial((300, 1200), (0.1, 0.1)).seconds_for(4800) == pytest.approx(0.1)
    # A second that is shorter than the first promises nothing below it.
    assert Trial((300, 1200), (0.2, 0.1)).seconds_for(4800) == pytest.approx(0.1)
    assert Trial((120, 120), (0.1, 0.1)).seconds_for(4800) == pytest.approx(0.1)


def test_trial_fits_are_small_and_say_why_there_are_none() -> None:
    bench = Bench(subject(data=frame(3000)), plan("holdout"))
    found = try_fit(bench.fit(bench.split.parts["training"]), bench.subject)
    assert found.rows == (300, 1200)
    assert all(seconds > 0 for seconds in found.seconds)
    few = Bench(subject(data=frame(200)), plan("holdout"))
    assert try_fit(few.fit(few.split.parts["training"]), few.subject).rows == (140, 140)
    one_class = few.fit(np.flatnonzero(~few.subject.target.hits))
    assert try_fit(one_class, few.subject).failure == "the training rows hold only one class"
