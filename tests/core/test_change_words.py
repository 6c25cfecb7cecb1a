"""What an entry of the record changed, in words."""

from typing import Any

import pytest

from brookfall.core.evidence.acts import ACTS, KINDS, kind_of
from brookfall.core.evidence.change_words import ValueChange, changes


def told(before: Any, after: Any) -> list[tuple[str, str | None, str | None]]:
    return [(one.what, one.before, one.after) for one in changes(before, after)]


def test_every_act_is_of_one_kind() -> None:
    acts = [act for kind in KINDS for act in ACTS[kind]]
    assert len(acts) == len(set(acts)) > 60
    assert {kind_of(act) for act in acts} == set(KINDS)
    assert kind_of("") is None


@pytest.mark.parametrize("value", [None, {}, [], {"a": 1}, [1, {"b": None}], "words", 3.5, False])
def test_what_stays_as_it_was_is_no_change(value: Any) -> None:
    assert changes(value, value) == []


def test_a_value_deep_inside_is_told_by_its_path() -> None:
    before = {"policy": {"limits": {"gap": {"at_most": 0.05}}}, "seed": 1}
    after = {"policy": {"limits": {"gap": {"at_most": 0.1}}}, "seed": 1}
    assert told(before, after) == [("policy, limits, gap, at most", "0.05", "0.1")]


def test_yes_no_and_numbers_that_are_alike_in_python_are_told_apart() -> None:
    assert told({"seen": True}, {"seen": 1}) == [("seen", "yes", "1")]
    assert told({"n": 0}, {"n": False}) == [("n", "0", "no")]


def test_what_was_added_and_what_is_gone() -> None:
    assert told({"due": None}, {"due": "2027-01-31"}) == [("due", None, "31 Jan 2027")]
    assert told({"reviewer": "Tom Aldous"}, {"reviewer": None}) == [("reviewer", "Tom Aldous", None)]
    assert told(None, {"sha256": "ab" * 32}) == [("SHA-256", None, "abababababab…")]


def test_from_nothing_to_nothing_is_no_change() -> None:
    assert told(None, {"conditions": [], "despite": "", "who": None}) == []
    assert told({"in_use": None}, {"in_use": ""}) == []


def test_lists_tell_what_came_and_went_or_that_the_order_changed() -> None:
    assert told({"checks": ["a", "b"]}, {"checks": ["b", "c", "d"]}) == [("checks", "a", "c and d")]
    assert told({"checks": ["a", "b"]}, {"checks": ["b", "a"]}) == [("checks", "a and b", "b and a")]
    assert told({"ideal": [1, 1]}, {"ideal": [1]}) == [("ideal", "1 and 1", "1")]


def test_things_of_a_list_are_told_apart_by_their_names() -> None:
    before = [{"name": "sex", "low": 0.8}, {"name": "age", "low": 0.8}]
    after = [{"name": "age", "low": 0.9}, {"name": "sex", "low": 0.8}]
    assert told({"grounds": before}, {"grounds": after}) == [
        ("grounds, order", "sex, age", "age, sex"),
        ("grounds, age, low", "0.8", "0.9"),
    ]
    assert told([{"a": 1}], [{"a": 1}, {"a": 2}]) == [("2, a", None, "2")]


def test_two_names_that_are_the_same_are_counted_instead() -> None:
    twice = [{"name": "sex", "low": 1}, {"name": "sex", "low": 2}]
    assert told({"grounds": twice}, {"grounds": [twice[0], {"name": "sex", "low": 3}]}) == [
        ("grounds, 2, low", "2", "3")
    ]


def test_long_texts_show_what_differs() -> None:
    before = "The rows of the east are few, and what was found there may be chance alone, as the interval says."
    (one,) = changes({"why": before}, {"why": before.replace("few", "very few")})
    assert one == ValueChange("why", "… are few, …", "… are very few, …")
    assert told({"why": before}, {"why": f"{before} So."})[0][1:] == ("… says.", "… says. So.")


def test_another_kind_of_value_takes_the_place_of_the_whole() -> None:
    assert told({"due": {"in": 3}}, {"due": "soon"}) == [("due", "in 3", "soon")]
    assert told(4, "four") == [("", "4", "four")]
