"""The order of a run's fits: every question is answered as soon as it can be."""

from dataclasses import dataclass
from typing import Any, cast

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.retest.order import order_of
from brookfall.core.retest.run import Asked, ask, jobs_of


@dataclass(frozen=True)
class Named:
    key: str


@dataclass(frozen=True)
class Needed:
    fit: Named


@dataclass(frozen=True)
class OfQuestion:
    question: int


def asked(number: int, question: int, fits: str) -> Asked:
    needs: Any = tuple(Needed(Named(key)) for key in fits)
    return Asked(number, cast("Any", OfQuestion(question)), needs)


def order(seconds: dict[str, float], *checks: Asked) -> str:
    return "".join(order_of(checks, seconds))


def test_the_cheapest_check_of_each_question_comes_first_and_the_soonest_answer_before_all() -> None:
    seconds = {"a": 5.0, "b": 1.0, "c": 2.0, "d": 9.0}
    assert order(seconds, asked(1, 3, "a"), asked(2, 3, "bc"), asked(3, 4, "d"), asked(4, 5, "c")) == "cbda"


def test_what_is_shared_is_paid_once() -> None:
    seconds = dict.fromkeys("abcdefg", 1.0)
    # The second question costs two fits, or one beside what the first needs anyway.
    assert order(seconds, asked(1, 1, "abc"), asked(2, 2, "de"), asked(3, 2, "abcf")) == "deabcf"
    assert order(seconds, asked(1, 1, "abc"), asked(2, 2, "defg"), asked(3, 2, "abcf")) == "abcfdeg"


def test_what_has_been_made_takes_nothing_and_answers() -> None:
    seconds = {"b": 3.0, "c": 1.0, "d": 2.0}
    # Question 1 is answered by what was made before, so that its other check waits for question 2.
    assert order(seconds, asked(1, 1, "a"), asked(2, 1, "c"), asked(3, 2, "bd")) == "bdc"


def test_a_check_without_fits_answers_no_question() -> None:
    seconds = {"a": 1.0, "b": 2.0}
    assert order(seconds, asked(1, 1, ""), asked(2, 1, "b"), asked(3, 2, "a")) == "ab"
    assert order({}, asked(1, 1, "")) == ""


def test_every_fit_of_a_plan_comes_once_and_questions_first(bench: Bench) -> None:
    checks = ask(bench)
    keys = [job.fit.key for job in jobs_of(checks)]
    placed = order_of(checks, dict.fromkeys(keys, 1.0))
    assert sorted(placed) == sorted(keys)
    ends = {one.number: max(placed.index(need.fit.key) for need in one.needs) for one in checks if one.needs}
    question = {one.number: one.check.question for one in checks}
    first = {
        asks: min(ends[number] for number in ends if question[number] == asks)
        for asks in set(question.values())
        if any(question[number] == asks for number in ends)
    }
    least = {
        asks: min(
            len({need.fit.key for need in one.needs}) for one in checks if one.needs and one.check.question == asks
        )
        for asks in first
    }
    assert max(first.values()) < sum(least.values())


def test_of_equals_the_first_comes_first() -> None:
    assert order({"a": 1.0, "b": 1.0}, asked(1, 1, "b"), asked(2, 1, "a")) == "ba"


@pytest.mark.parametrize("checks", [(), (asked(1, 1, "z"),)])
def test_nothing_to_make_is_no_order(checks: tuple[Asked, ...]) -> None:
    assert order_of(checks, {}) == ()
