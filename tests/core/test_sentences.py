"""The plan's sentences as data: every value can be put back at its path, and what it changes is made stale."""

from collections.abc import Iterator
from typing import Any

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.groups.ground_facts import ground_lines
from brookfall.core.check.reads import content_key
from brookfall.core.check.registry import checks, checks_of
from brookfall.core.check.sentence import (
    About,
    AnyField,
    ChoiceField,
    NumberField,
    PlanLine,
    Sentence,
    SetField,
    Words,
    number_field,
    parts_of,
    say,
)
from brookfall.core.plan.plan import InUse, Plan
from brookfall.core.recipe.recipe import Recipe
from tests.core import test_outcomes as made

OUTCOMES = ("binary", "multiclass", "number")
EARLIER = InUse(version="0.8", recipe=Recipe(family="tree"))
CASES = [(outcome, name) for outcome in OUTCOMES for name in checks_of(outcome)]


def about(outcome: str, plan: Plan | None = None) -> About:
    bench = Bench(made.subject(outcome), plan or made.plan_for(outcome, checks=["groups"]))
    return About(
        plan=bench.plan,
        outcome=outcome,
        positive="yes",
        claims=2,
        protected=tuple(bench.subject.roles.protected),
        features=bench.subject.features,
        timed=True,
        versions=(EARLIER,),
        grounds=ground_lines(bench),
    )


@pytest.fixture(scope="module")
def abouts() -> dict[str, About]:
    return {outcome: about(outcome) for outcome in OUTCOMES}


def lines(sentence: Sentence) -> Iterator[tuple[Any, ...]]:
    yield sentence.parts
    yield sentence.limit
    yield from (line.parts for line in (*sentence.before, *sentence.after))


def fields(sentence: Sentence) -> list[AnyField]:
    return [part for parts in lines(sentence) for part in parts if not isinstance(part, Words)]


def words(sentence: Sentence) -> str:
    return "".join(part.text if isinstance(part, Words) else "…" for part in sentence.parts)


def at(plan: Plan, path: tuple[str, ...]) -> object:
    """What stands at a path of the plan as it is sent; None where nothing does."""
    found: Any = plan.model_dump(mode="json")
    for step in path:
        found = found.get(step) if isinstance(found, dict) else None
    return found


def put(plan: Plan, path: tuple[str, ...], value: object) -> Plan:
    """The plan with a value at a path, as the page would send it."""
    whole: Any = plan.model_dump(mode="json")
    inner = whole
    for step in path[:-1]:
        inner = inner.setdefault(step, {})
    if value is None:
        inner.pop(path[-1], None)
    else:
        inner[path[-1]] = value
    return Plan.model_validate(whole)


def other_value(field: AnyField) -> object:
    """Another value that the field allows; None where it has but one."""
    if isinstance(field, NumberField):
        found = field.least if field.value != field.least else field.most
        found = int(found) if field.whole else found
        return -found if field.turned else found
    if isinstance(field, ChoiceField):
        return next((one.value for one in field.options if one.value not in (field.value, None)), None)
    if isinstance(field, SetField):
        return next(([one.value] for one in field.options if (one.value,) != field.value), None)
    return None


@pytest.mark.parametrize(("outcome", "name"), CASES)
def test_a_sentence_is_a_sentence(abouts: dict[str, About], outcome: str, name: str) -> None:
    sentence = checks()[name].sentence(abouts[outcome])
    said = words(sentence)
    assert said[0].isupper()
    assert said.endswith(".")
    assert "{" not in said
    assert "  " not in said
    assert sentence.limit


@pytest.mark.parametrize(("outcome", "name"), CASES)
def test_every_field_holds_what_stands_in_the_plan(abouts: dict[str, About], outcome: str, name: str) -> None:
    known = abouts[outcome]
    for field in fields(checks()[name].sentence(known)):
        held = at(known.plan, field.path)
        if isinstance(field, NumberField) and isinstance(held, int | float):
            assert field.value == held
            assert field.least <= (-held if field.turned else held) <= field.most, field.name
        elif isinstance(field, ChoiceField):
            assert field.value == held
            assert field.value in [one.value for one in field.options], field.name
        elif isinstance(field, SetField):
            assert list(field.value) == held
            assert set(field.value) <= {one.value for one in field.options}


@pytest.mark.parametrize(("outcome", "name"), CASES)
def test_fields_have_names_of_their_own(abouts: dict[str, About], outcome: str, name: str) -> None:
    named = [field.name for field in fields(checks()[name].sentence(abouts[outcome]))]
    assert len(set(named)) == len(named)
    assert all(one[0].isupper() for one in named)


@pytest.mark.parametrize(("outcome", "name"), CASES)
def test_another_value_goes_into_the_plan_and_comes_back(abouts: dict[str, About], outcome: str, name: str) -> None:
    known = abouts[outcome]
    for field in fields(checks()[name].sentence(known)):
        value = other_value(field)
        if value is None:
            continue
        changed = put(known.plan, field.path, value)
        assert at(changed, field.path) == value, field.name
        assert plan_differs(known.plan, changed)


def plan_differs(one: Plan, other: Plan) -> bool:
    return one.model_dump() != other.model_dump()


@pytest.mark.parametrize(("outcome", "name"), CASES)
def test_what_a_sentence_sets_makes_its_check_stale(abouts: dict[str, About], outcome: str, name: str) -> None:
    known, check = abouts[outcome], checks()[name]
    for field in fields(check.sentence(known)):
        value = other_value(field)
        if value is None:
            continue
        changed = put(known.plan, field.path, value)
        assert content_key(check, known.plan, {}, {}) != content_key(check, changed, {}, {}), field.name


def test_a_ground_is_said_with_its_groups_their_sizes_and_its_reference(abouts: dict[str, About]) -> None:
    sentence = checks()["groups"].sentence(abouts["binary"])
    (sex,) = [
        line for line in sentence.after if isinstance(line.parts[0], Words) and line.parts[0].text.startswith("sex")
    ]
    assert isinstance(sex, PlanLine)
    counted = [one.rsplit("(", 1) for one in sex.remark.split(" · ")]
    assert len(counted) == 2
    assert all("%" in rate and " to " in rate for _, rate in counted)
    reference = next(part for part in sex.parts if isinstance(part, ChoiceField))
    assert reference.options[0].value is None
    assert reference.options[0].words.startswith("the other, ")


def test_an_earlier_version_can_be_named_as_the_one_in_use(abouts: dict[str, About]) -> None:
    (field,) = [one for one in fields(checks()["in_use"].sentence(abouts["binary"])) if one.name == "Version in use"]
    assert isinstance(field, ChoiceField)
    assert [one.words for one in field.options] == ["none named", "0.8"]
    plan = put(abouts["binary"].plan, field.path, field.options[1].value)
    assert plan.in_use == EARLIER
    assert put(plan, field.path, None).in_use is None


def test_words_and_fields_alternate_as_the_text_does() -> None:
    often = number_field(3, "Often", ("splits",), 1, 9)
    assert [part.kind for part in parts_of("{often} times, {often}.", {"often": often})] == [
        "number",
        "words",
        "number",
        "words",
    ]
    with pytest.raises(KeyError):
        parts_of("{never}", {})
    assert say("Look.").limit == (Words(text="no limit set"),)
