"""Changes make a new version of a table; files are stacked; repeats are found."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.screening.rows_of_issue import Alike, Between, Gaps, InTwoParts, Says, rows_where
from brookfall.core.submission.datapackage import described
from brookfall.core.submission.package import Package, package_from_files
from brookfall.core.table.append_rows import stack
from brookfall.core.table.change import (
    Bands,
    Change,
    DropGaps,
    DropRepeats,
    FillGaps,
    JoinSample,
    ReadAs,
    WordsAreMissing,
    apply,
)
from brookfall.core.table.duplicate_rows import first_of_each, group_of_each, in_other
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.table import Table


def made(**cells: list[str]) -> Table:
    return Table(tuple(column_from_text(name, values) for name, values in cells.items()))


def test_a_word_counts_as_missing_and_the_kind_is_found_anew() -> None:
    table = made(size=["1", "-", "3"], other=["x", "-", "y"])
    changed = apply(table, [WordsAreMissing(column="size", words=("-",))]).table
    assert changed.column("size").kind == "number"
    assert changed.column("size").texts() == ["1", None, "3"]
    assert changed.column("other").texts() == ["x", "-", "y"]
    assert table.column("size").kind == "category"


def test_a_number_that_stands_for_missing() -> None:
    table = made(size=["1", "999", "3"])
    assert apply(table, [WordsAreMissing(column="size", words=("999",))]).table.column("size").texts() == [
        "1",
        None,
        "3",
    ]
    with pytest.raises(UserError, match="column size: No cell says '-'"):
        apply(table, [WordsAreMissing(column="size", words=("-",))])


def test_a_column_is_read_as_another_kind() -> None:
    table = made(zone=["2", "10"], when=["1/2/2024", "3/4/2024"], n=["007", "12"], word=["a", "b"])
    read = apply(
        table, [ReadAs(column="zone", to="category"), ReadAs(column="when", to="date"), ReadAs(column="n", to="number")]
    ).table
    assert read.column("zone").levels == ("2", "10")
    assert read.column("when").levels == ("2024-02-01", "2024-04-03")
    assert read.column("n").values.tolist() == [7, 12]
    with pytest.raises(UserError, match="column word, row 2: 'a' is not a number"):
        apply(table, [ReadAs(column="word", to="number")])


def test_repeats_are_dropped_and_the_rows_that_stay_are_told() -> None:
    table = made(id=["1", "2", "3", "4"], x=["a", "b", "a", ""], y=["1", "1", "1", ""])
    changed = apply(table, [DropRepeats(columns=("x", "y"))])
    assert changed.rows.tolist() == [0, 1, 3]
    assert changed.table.column("id").texts() == ["1", "2", "4"]


def test_rows_with_gaps_are_left_out_and_the_rows_that_stay_are_told() -> None:
    table = made(x=["1", "", "3", "4"], word=["a", "b", "", "a"], other=["", "", "", ""])
    changed = apply(table, [DropGaps(columns=("x", "word"))])
    assert changed.rows.tolist() == [0, 3]
    assert DropGaps(columns=("x", "word")).said == "rows with a gap in x or word are left out"


@pytest.mark.parametrize(("by", "value"), [("median", 3.0), ("mean", 4.0), ("mode", 1.0)])
def test_gaps_of_a_number_are_filled_in(by: str, value: float) -> None:
    table = made(x=["1", "", "1", "5", "9", ""], word=["a"] * 6)
    filled = apply(table, [TypeAdapter(Change).validate_python({"kind": "fill_gaps", "column": "x", "by": by})]).table
    assert filled.column("x").values.tolist() == [1, value, 1, 5, 9, value]
    assert table.column("x").missing.sum() == 2


def test_gaps_of_words_are_filled_in_by_the_most_frequent_alone() -> None:
    table = made(word=["a", "b", "", "b"], full=["1", "2", "3", "4"], none=["", "", "", ""])
    filled = apply(table, [FillGaps(column="word", by="mode")]).table
    assert filled.column("word").texts() == ["a", "b", "b", "b"]
    for column, by, words in (
        ("word", "median", "Only a number has a median"),
        ("full", "mean", "No cell is missing"),
        ("none", "mode", "Every cell is missing"),
    ):
        with pytest.raises(UserError, match=words):
            apply(table, [TypeAdapter(Change).validate_python({"kind": "fill_gaps", "column": column, "by": by})])
    assert "unseen ones too" in FillGaps(column="word", by="mode").said


def test_bands_say_where_they_are_cut() -> None:
    bands = Bands(column="age", cuts=(18, 40, 65), name="age_band")
    changed = apply(made(age=["17", "18", "39.5", "65", ""]), [bands]).table
    assert changed.column("age_band").texts() == ["under 18", "18 to under 40", "18 to under 40", "65 and over", None]
    with pytest.raises(ValidationError, match="cuts must rise"):
        Bands(column="age", cuts=(40, 18), name="b")
    with pytest.raises(UserError, match="There is a column of that name"):
        apply(made(age=["1"], b=["2"]), [Bands(column="age", cuts=(18,), name="b")])
    with pytest.raises(UserError, match="Only a number has bands"):
        apply(made(age=["young"]), [bands])


def test_a_sample_is_joined_by_key() -> None:
    table = made(key=["k1", "k2", "k3"], x=["1", "2", "3"])
    sample = made(key=["k3", "k1"], group=["Birch", "Alder"], wage=["10", "20"])
    join = JoinSample(sample="survey", key="key", columns=("group", "wage"))
    changed = apply(table, [join], {"survey": sample}).table
    assert changed.column("group").texts() == ["Alder", None, "Birch"]
    assert changed.column("wage").texts() == ["20", None, "10"]
    with pytest.raises(UserError, match="There is no sample 'survey'"):
        apply(table, [join])
    with pytest.raises(UserError, match="A key stands in the sample twice"):
        apply(table, [join], {"survey": made(key=["k1", "k1"], group=["a", "b"], wage=["1", "2"])})
    with pytest.raises(UserError, match="No row has a key of the sample"):
        apply(table, [join], {"survey": made(key=["q"], group=["a"], wage=["1"])})


def test_changes_come_back_from_json_as_they_were() -> None:
    changes: list[Change] = [
        WordsAreMissing(column="a", words=("-",)),
        DropRepeats(columns=("a", "b")),
        Bands(column="a", cuts=(1, 2.5), name="c"),
    ]
    kind = TypeAdapter(list[Change])
    assert kind.validate_json(kind.dump_json(changes)) == changes
    assert [change.said for change in changes] == [
        "'-' in a count as missing",
        "rows that repeat an earlier one in 2 columns are left out",
        "c is made of a in 3 bands",
    ]


@given(
    st.lists(
        st.tuples(st.sampled_from(["a", "b", ""]), st.sampled_from([0.0, -0.0, 1.5, None])), min_size=1, max_size=30
    )
)
def test_repeats_are_what_python_calls_equal(rows: list[tuple[str, float | None]]) -> None:
    table = made(c=[c for c, _ in rows], n=["" if n is None else repr(n) for _, n in rows])
    groups = group_of_each(table)
    for i, one in enumerate(rows):
        for j, other in enumerate(rows):
            assert (groups[i] == groups[j]) == (one == other)
    first = [i for i, row in enumerate(rows) if row not in rows[:i]]
    assert first_of_each(table).tolist() == first


def test_rows_are_found_in_another_table_whose_levels_differ() -> None:
    here, there = made(c=["a", "b"], n=["1", "2"]), made(n=["2", "3"], c=["b", "zz"])
    assert in_other(here, there).tolist() == [False, True]


def test_files_of_the_same_rows_are_stacked() -> None:
    one = made(x=["1", "2"], c=["b", "a"], w=["yes", "yes"], e=["", ""])
    two = made(c=["c", "a"], x=["", "4"], w=["yes", "no"], e=["5", ""])
    both = stack([("1.csv", one), ("2.csv", two)])
    assert both.names == one.names
    assert [column.texts() for column in both.columns] == [
        ["1", "2", None, "4"],
        ["b", "a", "c", "a"],
        ["yes", "yes", "yes", "no"],
        [None, None, "5", None],
    ]
    assert both.column("e").kind == "number"
    assert np.isnan(both.column("e").values[0])


@pytest.mark.parametrize(
    ("other", "words"),
    [
        (made(x=["1"]), "2.csv, column c: The column is in 1.csv and not here"),
        (made(x=["1"], c=["a"], d=["b"]), "2.csv, column d: The column is not in 1.csv"),
        (made(x=["-"], c=["a"]), "2.csv, column x: The column is category here and number in 1.csv"),
    ],
)
def test_files_that_do_not_stack(other: Table, words: str) -> None:
    with pytest.raises(UserError) as caught:
        stack([("1.csv", made(x=["1"], c=["a"])), ("2.csv", other)])
    assert words in str(caught.value)


def package(data: str, **files: str) -> Package:
    head = "brookfall: 1\nmodel: {name: M, version: 1, tier: 3, outcome: binary, purpose: p, owner: o}\nrecipe: {family: logistic}\n"
    named = {name.replace("_", "."): text.replace("|", "\n").encode() for name, text in files.items()}
    return package_from_files({"submission.yaml": (head + data).encode(), **named})


def test_training_and_test_may_come_as_files_of_their_own() -> None:
    found = package(
        "data:\n - {name: a, path: a.csv, part: train, roles: {target: y}}\n - {name: b, path: b.csv, part: holdout}\n"
        " - {name: later, path: c.csv, kind: new_rows}\n",
        a_csv="x,y|1,yes|2,no|", b_csv="y;x|no;3|", c_csv="x|9|",
    )  # fmt: skip
    assert found.table.column("part").texts() == ["training", "training", "test"]
    assert found.submission.data[0].roles.part == "part"
    assert found.submission.data[1].read.separator == ";"
    assert found.beside["later"].n_rows == 1


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (
            " - {name: a, path: a.csv, part: train, roles: {target: y}}\n - {name: b, path: b.csv}\n",
            "b.csv: Other files of rows say which part",
        ),
        (
            " - {name: a, path: a.csv, roles: {target: y}}\n - {name: a, path: b.csv}\n",
            "two data files have the same name",
        ),
        (" - {name: a, path: a.csv, kind: new_rows}\n", "must hold the rows under review"),
        (" - {name: a, path: a.csv, roles: {target: y}}\n - {name: s, path: b.csv, kind: sample}\n", "names no key"),
        (
            " - {name: a, path: a.csv, roles: {target: y}}\n - {name: s, path: b.csv, kind: sample, key: k}\n",
            "There is no column 'k'",
        ),
        (
            " - {name: a, path: a.csv, roles: {target: y}, read: {separator: tab, types: {q: date}}}\n",
            "a.csv, column q: A kind is named",
        ),
    ],
)
def test_data_files_that_do_not_go_together(data: str, words: str) -> None:
    with pytest.raises(UserError) as caught:
        package("data:\n" + data, a_csv="x,y|1,yes|2,no|", b_csv="x,y|1,yes|")
    assert words in str(caught.value)


def test_a_descriptor_beside_the_data_is_followed() -> None:
    text = json.dumps({
        "resources": [{
            "path": "a.csv", "encoding": "windows-1252", "dialect": {"delimiter": ";"},
            "schema": {"missingValues": ["-"], "fields": [{"name": "x", "type": "integer", "description": "rooms"}, {"name": "y", "type": "string"}]},
        }]
    })  # fmt: skip
    found = package(
        "data: [{name: a, path: a.csv, roles: {target: y}}]", a_csv="x;y|1;yes|-;no|", datapackage_json=text
    )
    assert found.table.column("x").texts() == ["1", None]
    assert found.columns == {"x": "rooms"}
    assert described({"datapackage.json": text.encode()}, "b.csv").columns == {}
    with pytest.raises(UserError, match=r"datapackage.json: The descriptor can't be read"):
        described({"datapackage.json": b"{"}, "a.csv")
    with pytest.raises(UserError, match="can't be followed"):
        described({"datapackage.json": b'{"resources": [{"path": "a.csv", "dialect": {"delimiter": "^"}}]}'}, "a.csv")


def test_a_decimal_comma_is_known_again_when_a_word_is_taken_away() -> None:
    table = made(size=["1,5", "-", "2,25"])
    assert apply(table, [WordsAreMissing(column="size", words=("-",))]).table.column("size").texts() == [
        "1.5",
        None,
        "2.25",
    ]
    assert apply(made(size=["1,5", "2,25"]), [ReadAs(column="size", to="number")]).table.column("size").texts() == [
        "1.5",
        "2.25",
    ]


def test_rows_are_found_by_what_they_say() -> None:
    table = made(
        c=["b", "a", "b", ""], n=["1", "2", "", "4"], part=["train", "test", "test", "train"], id=["k", "k", "m", ""]
    )
    assert rows_where(table, Says(column="c", words=("b",))).tolist() == [0, 2]
    assert rows_where(table, Says(column="n", words=("2", "4"))).tolist() == [1, 3]
    assert rows_where(table, Between(column="n", low=2)).tolist() == [1, 3]
    assert rows_where(table, Gaps(columns=("c", "n"))).tolist() == [2, 3]
    assert rows_where(table, InTwoParts(column="id", part="part")).tolist() == [0, 1]
    assert rows_where(table, Alike(columns=("c",), but="n")).tolist() == [0, 2]
    assert rows_where(table, Alike(columns=("c", "n"))).tolist() == []
    with pytest.raises(UserError, match="There is no column 'q'"):
        rows_where(table, Gaps(columns=("q",)))
    with pytest.raises(UserError, match="Only a number has a range"):
        rows_where(table, Between(column="c"))


def test_rows_that_are_alike_stand_side_by_side() -> None:
    table = made(c=["x", "b", "a", "b", "a", "a"])
    assert rows_where(table, Alike(columns=("c",))).tolist() == [1, 3, 2, 4, 5]
