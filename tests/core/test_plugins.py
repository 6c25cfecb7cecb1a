"""What entry points may bring, for each of the three registries: in one order, of the right kind, under a free name."""

from collections.abc import Callable
from importlib.metadata import EntryPoint

import pytest

from brookfall.core.check.check import Check
from brookfall.core.check.registry import BUILT_IN
from brookfall.core.foundation import plugins
from brookfall.core.foundation.plugins import with_plugins
from brookfall.core.measure.built_in import MEASURES
from brookfall.core.measure.measure import Measure
from brookfall.core.recipe.families import OWN
from brookfall.core.recipe.family.family import Family

GROUP = "brookfall.test"
Bring = Callable[..., None]


@pytest.fixture
def bring(monkeypatch: pytest.MonkeyPatch) -> Bring:
    """Makes these the entry points that there are: a name and where its object is."""

    def points(**named: str) -> None:
        found = [EntryPoint(name, value, GROUP) for name, value in named.items()]
        monkeypatch.setattr(plugins, "entry_points", lambda group: found if group == GROUP else [])

    return points


def test_without_packages_there_is_our_own_in_our_order(bring: Bring) -> None:
    bring()
    assert list(with_plugins(MEASURES, GROUP, Measure)) == [one.name for one in MEASURES]


def test_what_is_brought_comes_after_our_own_in_the_order_of_the_entry_points(bring: Bring) -> None:
    bring(
        b="brookfall.core.recipe.family.naive_bayes:BAYES",
        a="brookfall.core.recipe.family.nearest_neighbours:NEIGHBOURS",
    )
    few = [one for one in OWN if one.name == "ridge"]
    assert list(with_plugins(few, GROUP, Family)) == ["ridge", "nearest_neighbours", "naive_bayes"]


def test_a_list_and_a_class_can_be_brought(bring: Bring) -> None:
    bring(measures="brookfall.core.measure.built_in:MEASURES")
    assert len(with_plugins((), GROUP, Measure)) == len(MEASURES)
    bring(gap="brookfall.core.check.memory.gap:Gap")
    (made,) = with_plugins((), GROUP, Check).values()  # type: ignore[type-abstract]
    assert (made.name, made.question) == ("gap", 4)


@pytest.mark.parametrize(
    ("value", "own", "kind", "name"),
    [
        ("brookfall.core.measure.built_in:MEASURES", MEASURES, Measure, "auc"),
        ("brookfall.core.check.memory.gap:Gap", BUILT_IN, Check, "gap"),
        ("brookfall.core.recipe.family.naive_bayes:BAYES", OWN, Family, "naive_bayes"),
    ],
)
def test_a_name_that_is_taken_is_refused(
    bring: Bring, value: str, own: tuple[Measure, ...], kind: type[Measure], name: str
) -> None:
    bring(mine=value)
    with pytest.raises(ValueError, match=f"the entry point mine of {GROUP} takes the name {name}, which is taken"):
        with_plugins(own, GROUP, kind)


@pytest.mark.parametrize("kind", [Measure, Check, Family])
def test_what_is_no_such_thing_is_refused_by_its_name(bring: Bring, kind: type[Measure]) -> None:
    bring(odd="brookfall.core.foundation.digest:sha256")
    with pytest.raises(TypeError, match=f"the entry point odd of {GROUP} names .*, which is no {kind.__name__}"):
        with_plugins((), GROUP, kind)
