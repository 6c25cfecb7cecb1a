"""Roles of one version for the columns of another."""

from brookfall.core.table.carried_roles import carried_roles
from brookfall.core.table.roles import Roles

NAMES = ("id", "sex", "age", "x", "z", "part", "y")
DECLARED = Roles(target="y", identifier=("id",), part="part")
GIVEN = Roles(
    target="y", identifier=("id",), part="part", protected=("sex", "age"), ignore=("z",), grounds={"age": "age"}
)


def carried(
    given: Roles = GIVEN, after: Roles = DECLARED, names: tuple[str, ...] = NAMES, before: Roles = DECLARED
) -> Roles:
    return carried_roles(given, (before, after), (NAMES, names))


def test_what_the_owner_left_alone_stays_as_the_reviewer_had_it() -> None:
    assert carried() == GIVEN


def test_what_the_owner_changed_is_theirs() -> None:
    after = DECLARED.model_copy(update={"part": None, "time": "age", "ignore": ("x",)})
    found = carried(after=after)
    assert (found.part, found.time) == (None, "age")
    assert found.ignore == ("z", "x")
    assert found.protected == ("sex", "age")
    before = DECLARED.model_copy(update={"protected": ("age",)})
    assert carried(before=before).protected == ("sex",), "the owner took it out since"


def test_a_column_that_is_gone_has_no_role() -> None:
    found = carried(names=("id", "sex", "x", "part", "y"))
    assert (found.protected, found.ignore, found.grounds) == (("sex",), (), {})
    gone = carried(given=GIVEN.model_copy(update={"weight": "age"}), names=("id", "sex", "x", "part", "y"))
    assert gone.weight is None
    assert "age" not in str(gone)


def test_another_target_brings_its_own_positive_level() -> None:
    given = GIVEN.model_copy(update={"positive": "yes"})
    after = DECLARED.model_copy(update={"target": "late", "positive": "1"})
    found = carried(given=given, after=after, names=(*NAMES, "late"))
    assert (found.target, found.positive) == ("late", "1")
    assert carried(given=given).positive == "yes"


def test_a_new_column_is_a_feature_as_its_owner_declares() -> None:
    listed = GIVEN.model_copy(update={"features": ("x",)})
    names = (*NAMES, "w", "v")
    found = carried(given=listed, after=DECLARED.model_copy(update={"ignore": ("v",)}), names=names)
    assert found.features == ("x", "w")
    assert "v" in found.ignore
    assert carried(names=names).features is None
    assert set(carried(names=names).features_among(names)) == {"x", "w", "v"}


def test_an_owner_s_own_list_of_features_is_theirs_to_change() -> None:
    given = GIVEN.model_copy(update={"features": ("x", "age"), "ignore": ()})
    before = DECLARED.model_copy(update={"features": ("x", "z")})
    after = DECLARED.model_copy(update={"features": ("x", "z", "id")})
    assert carried(given=given, before=before, after=after).features == ("x", "age", "id")
    assert carried(given=given, before=before, after=before.model_copy(update={"features": ("z",)})).features == (
        "age",
    )
