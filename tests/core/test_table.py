"""Reading, typing, describing and fingerprinting tables; roles of columns."""

import io

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.check.groups.protected_groups import ground_as
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import as_category, column_from_text
from brookfall.core.table.profile import profile_column
from brookfall.core.table.read import read_table
from brookfall.core.table.roles import Roles, check_roles, target_of, times_of, weights_of
from brookfall.core.table.table import Column, Table


def column(*cells: str, name: str = "c") -> Column:
    return column_from_text(name, pd.Series(list(cells), dtype=object))


@pytest.mark.parametrize(
    ("cells", "kind"),
    [
        (("1", "2.5", "-3e2"), "number"),
        (("1", "NA", "", "4"), "number"),
        (("yes", "no", "yes"), "yes_no"),
        (("True", "false", ""), "yes_no"),
        (("2024-01-01", "2025-12-31"), "date"),
        (("2024-01-01T10:00", "2025-12-31T11:30:05Z"), "date"),
        (("red", "green", "red"), "category"),
        (("1", "2", "many"), "category"),
        (tuple(f"some words {i}" for i in range(300)), "text"),
        (("", "NA"), "category"),
    ],
)
def test_kinds(cells: tuple[str, ...], kind: str) -> None:
    assert column(*cells).kind == kind


def test_missing_is_what_is_empty_or_says_so() -> None:
    assert column("1", "", "NA", " null ", "2").missing.tolist() == [False, True, True, True, False]
    assert column("a", "", "N/A").missing.tolist() == [False, True, True]


def test_levels_are_sorted_so_that_row_order_does_not_matter() -> None:
    assert column("b", "a", "c").levels == column("c", "b", "a").levels == ("a", "b", "c")


def test_a_number_read_as_codes_keeps_its_order() -> None:
    codes = as_category(column("10", "2", "", "10"))
    assert codes.levels == ("2", "10")
    assert codes.values.tolist() == [1, 0, -1, 1]


@given(st.lists(st.floats(allow_nan=False, allow_infinity=False, width=32), min_size=1, max_size=60))
def test_profile_counts_every_row(values: list[float]) -> None:
    described = profile_column(column(*[repr(v) for v in values], ""))
    assert described.n == len(values) + 1
    assert described.missing == 1
    assert described.distinct == len(set(values))
    assert sum(bar.count for bar in described.bars) == len(values)
    assert described.quantiles[0] == min(values)
    assert described.quantiles[-1] == max(values)


def test_profile_in_words() -> None:
    assert profile_column(column("12", "94", "", "13")).words == "number, 12 to 94, 25.0 % missing"
    assert profile_column(column("yes", "no")).words == "yes/no, 2 levels, none missing"
    assert profile_column(column("only", "only")).words == "category, 1 level, none missing"
    assert profile_column(column("", "")).distinct == 0


def test_fingerprint_tells_any_change_apart() -> None:
    base = Table((column("1", "2", name="a"), column("x", "y", name="b")))
    same = Table((column("1.0", "2.00", name="a"), column("x", "y", name="b")))
    others = [
        Table((column("1", "3", name="a"), column("x", "y", name="b"))),
        Table((column("1", "2", name="z"), column("x", "y", name="b"))),
        Table((column("1", "2", name="a"), column("x", "w", name="b"))),
        Table((column("1", "2", name="a"), column("y", "x", name="b"))),
        Table((column("x", "y", name="b"), column("1", "2", name="a"))),
    ]
    assert base.fingerprint == same.fingerprint
    assert len({base.fingerprint, *(other.fingerprint for other in others)}) == 6


def test_csv_as_it_comes() -> None:
    table = read_table(b'\xef\xbb\xbfname,"a, b"\r\n"x ""y""",1\r\nz,2\r\n', "a.csv")
    assert table.names == ("name", "a, b")
    assert table.column("name").levels == ('x "y"', "z")
    lines = read_table(b'a,b\n"one\ntwo",1\nthree,2\n', "a.csv")
    assert lines.n_rows == 2


def test_parquet_as_it_comes() -> None:
    stream = io.BytesIO()
    pd.DataFrame({"x": [1.5, None, 3.0], "k": ["a", "b", None]}).to_parquet(stream)
    table = read_table(stream.getvalue(), "a.parquet")
    assert table.column("x").kind == "number"
    assert table.column("x").missing.tolist() == [False, True, False]
    assert table.column("k").missing.tolist() == [False, False, True]


@pytest.mark.parametrize(
    ("data", "file", "words"),
    [
        (b"x", "a.docx", "can't be read as data"),
        (b"   \n", "a.csv", "empty"),
        (b"PAR1 no", "a.parquet", "not a Parquet"),
        (b"a,,c\n1,2,3\n", "a.csv", "no name"),
    ],
)
def test_files_that_are_no_table(data: bytes, file: str, words: str) -> None:
    with pytest.raises(UserError, match=words) as caught:
        read_table(data, file)
    assert str(caught.value).startswith(file)


@pytest.fixture
def table() -> Table:
    return Table(
        (
            column("1", "2", "3", name="x"),
            column("f", "m", "f", name="sex"),
            column("1", "1", "2", name="team"),
            column("yes", "no", "no", name="y"),
        )
    )


def test_features_are_what_has_no_other_role(table: Table) -> None:
    assert Roles(target="y").feature_names(table) == ("x", "sex", "team")
    assert Roles(target="y", protected=("sex",)).feature_names(table) == ("x", "team")
    both = Roles(target="y", protected=("sex",), also_features=("sex",))
    assert both.feature_names(table) == ("x", "sex", "team")
    assert Roles(target="y", ignore=("x",), identifier=("team",)).feature_names(table) == ("sex",)
    assert Roles(target="y", features=("team",)).feature_names(table) == ("team",)


@pytest.mark.parametrize(
    ("roles", "words"),
    [
        (Roles(target="nope"), "do not have"),
        (Roles(target="y", weight="y"), "both target and weight"),
        (Roles(target="y", features=("y",)), "has another role"),
        (Roles(target="y", ignore=("x", "sex", "team")), "No column is left"),
    ],
)
def test_roles_that_can_not_be(table: Table, roles: Roles, words: str) -> None:
    with pytest.raises(UserError, match=words):
        check_roles(roles, table, "a.csv")


def test_the_positive_value(table: Table) -> None:
    assert target_of(table, Roles(target="y"), "binary", "a.csv").classes == ("no", "yes")
    assert target_of(table, Roles(target="y", positive="no"), "binary", "a.csv").classes == ("yes", "no")
    assert target_of(table, Roles(target="y"), "binary", "a.csv").hits.tolist() == [True, False, False]
    teams = target_of(table, Roles(target="team", positive="2"), "binary", "a.csv")
    assert teams.hits.tolist() == [False, False, True]


def test_classes_and_numbers_as_targets() -> None:
    made = Table((column("b", "a", "c", "a", name="kind"), column("1", "2", "2.5", "0", name="size")))
    kinds = target_of(made, Roles(target="kind"), "multiclass", "a.csv")
    assert (kinds.classes, kinds.codes.tolist()) == (("a", "b", "c"), [1, 0, 2, 0])
    sizes = target_of(made, Roles(target="size"), "number", "a.csv")
    assert (sizes.numbers.tolist(), sizes.strata) == ([1, 2, 2.5, 0], None)
    with pytest.raises(UserError, match="read as category"):
        target_of(made, Roles(target="kind"), "number", "a.csv")
    with pytest.raises(UserError, match="same outcome, 3"):
        target_of(Table((column("3", "3", name="y"),)), Roles(target="y"), "number", "a.csv")
    many = Table((column(*(f"k{i}" for i in range(60)), name="y"),))
    with pytest.raises(UserError, match="needs 2 to 50 values and this column has 60"):
        target_of(many, Roles(target="y"), "multiclass", "a.csv")


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_a_gap_in_the_target_is_told_with_its_row(table: Table, outcome: str) -> None:
    gappy = Table((*table.columns[:3], column("yes", "", "no", name="y")))
    with pytest.raises(UserError) as caught:
        target_of(gappy, Roles(target="y"), outcome, "a.csv")  # type: ignore[arg-type]
    assert caught.value.row == 3


@pytest.mark.parametrize(
    ("cells", "said", "row"),
    [
        (("1", "-2", "3"), "below 0 in 1 rows", 3),
        (("1", "", "3"), "missing or below 0", 3),
        (("0", "0", "0"), "Every weight is 0", None),
        (("a", "b", "c"), "not numbers", None),
    ],
)
def test_weights_that_are_none(cells: tuple[str, ...], said: str, row: int | None) -> None:
    made = Table((column(*cells, name="w"),))
    with pytest.raises(UserError, match=said) as caught:
        weights_of(made, Roles(target="y", weight="w"), "a.csv")
    assert caught.value.row == row
    assert weights_of(made, Roles(target="y"), "a.csv") is None


def test_times_are_numbers_or_sorted_dates() -> None:
    made = Table((column("2024-03-01", "2023-12-31", "2024-02-29", name="day"), column("5", "", "3", name="week")))
    days = times_of(made, Roles(target="y", time="day"), "a.csv")
    assert days is not None
    assert np.argsort(days).tolist() == [1, 2, 0]
    with pytest.raises(UserError, match="time is missing in 1 rows") as caught:
        times_of(made, Roles(target="y", time="week"), "a.csv")
    assert caught.value.row == 3


def test_a_protected_number_is_read_as_codes(table: Table) -> None:
    team = ground_as(table.column("team"), standard_plan(2, given_parts=False), {})
    assert team.levels == ("1", "2")
    assert table.take(np.array([2, 0])).column("x").values.tolist() == [3.0, 1.0]
