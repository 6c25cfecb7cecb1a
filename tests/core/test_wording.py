"""How numbers and measures stand in sentences."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.registry import forms, measures, words_of
from brookfall.core.resample.declared import Folds
from brookfall.core.table.outcome import OUTCOMES


@pytest.mark.parametrize("name", list(measures()))
def test_every_measure_has_words_without_underscores(name: str) -> None:
    for suffix in ("", "_gap", "_difference", "_ratio"):
        assert "_" not in words_of(name + suffix)


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_each_outcome_has_one_standard_measure_among_those_a_plan_may_judge_by(outcome: str) -> None:
    standard = [name for name, form in forms(outcome).items() if form.standard]
    assert len(standard) == 1
    assert next(iter(forms(outcome, "plan"))) == standard[0]


@given(st.floats(-1e6, 1e6), st.integers(0, 6))
def test_a_number_keeps_its_decimals_and_has_a_true_minus(value: float, decimals: int) -> None:
    shown = wording.number(value, decimals)
    assert "-" not in shown
    assert float(shown.replace("−", "-")) == pytest.approx(value, abs=0.51 * 10**-decimals)


@given(st.integers(0, 10**9))
def test_counts_are_grouped_by_thousands(n: int) -> None:
    assert wording.count(n).replace("\u202f", "") == str(n)
    assert wording.rows(n).endswith("row" if n == 1 else "rows")


def test_what_has_no_value_or_interval_says_why() -> None:
    assert wording.figure(absent(3, "no such row")) == "not computed (no such row)"
    assert wording.figure(Figure(0.5, 3, note="one row has no spread")) == "0.500 (no interval: one row has no spread)"
    assert wording.figure(Figure(0.5, 3, "m", lambda level: (-level, level)), 0.9, 1) == "0.5 [−0.9, 0.9]"
    assert wording.number(None) == "–"
    assert wording.percent(None) == "–"
    assert wording.number(1e301) == "∞"


def test_lists_are_read_as_sentences() -> None:
    assert [wording.listed(words) for words in ([], ["a"], ["a", "b"], ["a", "b", "c"])] == [
        "",
        "a",
        "a and b",
        "a, b and c",
    ]


@pytest.mark.parametrize(
    ("how", "words"),
    [
        (Folds(folds=10, repeats=3), "10 folds × 3"),
        (Folds(folds=5, by="groups"), "5 folds × 1, whole groups"),
        (Folds(folds=5, by="time"), "5 folds × 1, forward in time"),
        (Folds(kind="leave_one_out"), "leave-one-out"),
        (Folds(kind="random_splits", folds=50, test=25), "50 random splits of 75/25"),
        (Folds(kind="bootstrap", folds=200), "200 bootstrap resamples"),
    ],
)
def test_folds_are_said_in_words(how: Folds, words: str) -> None:
    assert how.words == words
    assert how.fits == {"leave-one-out": 0, "10 folds × 3": 30}.get(words, how.folds)


@pytest.mark.parametrize(
    ("folds", "said"),
    [
        ({"kind": "bootstrap", "folds": 20, "by": "time"}, "can't be repeated or drawn at random"),
        ({"kind": "random_splits", "folds": 20, "repeats": 2}, "only k folds are repeated"),
        ({"folds": 1}, "greater than or equal to 2"),
        ({"kind": "by_moonlight"}, "Input should be"),
        ({"folds": 5, "test": 100}, "less than 100"),
    ],
)
def test_folds_that_cannot_be_are_refused(folds: dict[str, object], said: str) -> None:
    with pytest.raises(ValueError, match=said):
        Folds.model_validate(folds)
