"""What several processes read is written once, and is the same in each."""

from pathlib import Path

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.foundation.shared_copy import read_shared, write_shared
from brookfall.core.retest.differences import differences
from brookfall.core.retest.run import ask, retest
from tests.conftest import small_plan
from tests.core.test_data_checks import LOGISTIC, frame
from tests.made import subject_of_frame


def test_a_bench_and_what_is_asked_of_it_come_back_as_they_were(tmp_path: Path) -> None:
    bench = Bench(subject_of_frame(frame(), "y", LOGISTIC), small_plan())
    asked = ask(bench)
    write_shared((bench, asked), tmp_path / "copy")
    again, asked_again = read_shared(tmp_path / "copy")
    assert again.subject.table.fingerprint == bench.subject.table.fingerprint
    assert [one.fits for one in asked_again] == [one.fits for one in asked]
    assert [need.reading.key for one in ask(again) for need in one.needs] == [
        need.reading.key for one in asked_again for need in one.needs
    ]


def test_nobody_can_write_to_what_others_read(tmp_path: Path) -> None:
    write_shared({"a": np.arange(5.0), "none": np.zeros(0), "b": np.arange(3)}, tmp_path / "copy")
    found = read_shared(tmp_path / "copy")
    assert {name: values.tolist() for name, values in found.items()} == {
        "a": [0, 1, 2, 3, 4],
        "none": [],
        "b": [0, 1, 2],
    }
    with pytest.raises(ValueError, match="read-only"):
        found["a"][0] = 1


def test_exhibits_that_rest_on_no_fit_are_the_same_from_several_processes() -> None:
    bench = Bench(subject_of_frame(frame(), "y", LOGISTIC), small_plan(checks=("profile", "association", "repeats")))
    assert all(one.fits == () for one in ask(bench))
    alone, together = retest(bench), retest(bench, workers=2)
    assert [one.check for one in together] == ["profile", "association", "repeats"]
    assert differences(alone, together) == []
