"""Reading files as they come: separators, marks, encodings, headers, sheets, kinds; and what can't be read."""

import datetime
import io
import zipfile

import numpy as np
import openpyxl
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.read import MAX_COLUMNS, READABLE, read_file, read_table
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Table
from tests.made import examples


def text(table: Table) -> dict[str, list[str | None]]:
    return {column.name: column.texts() for column in table.columns}


def parquet(table: pa.Table) -> bytes:
    stream = io.BytesIO()
    pq.write_table(table, stream)
    return stream.getvalue()


def workbook(rows: list[list[object]], *more: tuple[str, list[list[object]]]) -> bytes:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "first"
    for title, body in (("first", rows), *more):
        for row in body:
            (book[title] if title in book.sheetnames else book.create_sheet(title)).append(row)
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


PLAIN = {"name": ["Ösp", "a, b"], "size": ["1.5", "2"], "on": ["2024-01-31", None]}


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (
            'name,size,on\nÖsp,1.5,2024-01-31\n"a, b",2,\n'.encode(),
            "separated by commas, decimal point, UTF-8, names in the first row",
        ),
        (
            'name;size;on\nÖsp;1,5;31.1.2024\n"a, b";2;NA\n'.encode(),
            "separated by semicolons, decimal comma, UTF-8, names in the first row",
        ),
        (
            "name\tsize\ton\r\nÖsp\t1,5\t2024-01-31\r\na, b\t2\t\r\n".encode("cp1252"),
            "separated by tabs, decimal comma, Windows-1252, names in the first row",
        ),
        (
            "name|size|on\nÖsp|1.5|2024-01-31\na, b|2|\n".encode("utf-16"),
            "separated by bars, decimal point, UTF-16, names in the first row",
        ),
        (
            '\ufeffname,size,on\rÖsp,1.5,2024-01-31\n"a, b",2,\r\n'.encode(),
            "separated by commas, decimal point, UTF-8, names in the first row",
        ),
    ],
)
def test_a_text_file_tells_how_it_is_to_be_read(data: bytes, words: str) -> None:
    read = read_file(data, "rows.csv")
    assert text(read.table) == PLAIN
    assert [column.kind for column in read.table.columns] == ["category", "number", "date"]
    assert read.how.words == words


def test_what_was_found_out_reads_the_same_again() -> None:
    data = "name;size\nÖsp;1,5\n".encode("cp1252")
    first = read_file(data, "rows.csv")
    again = read_file(data, "rows.csv", first.how)
    assert again.how == first.how
    assert again.table.fingerprint == first.table.fingerprint


def test_what_was_found_out_can_be_corrected() -> None:
    data = b"a;b\n1,5;x\n-;y\n999;z\n"
    assert read_table(data, "r.csv").column("a").kind == "category"
    how = HowRead(missing=("-", "999"))
    assert text(read_table(data, "r.csv", how)) == {"a": ["1.5", None, None], "b": ["x", "y", "z"]}
    coded = read_table(b"zone,n\n1,2\n2,3\n", "r.csv", HowRead(types={"zone": "category"}))
    assert coded.column("zone").levels == ("1", "2")
    unnamed = read_table(b"3,x\n4,y\n", "r.csv")
    assert text(unnamed) == {"column_1": ["3", "4"], "column_2": ["x", "y"]}
    named = read_table(b"3,x\n4,y\n", "r.csv", HowRead(header=True))
    assert named.names == ("3", "x")


@pytest.mark.parametrize(
    ("cells", "kind", "shown"),
    [
        (["007", "012"], "category", ["007", "012"]),
        (["0", "0.5"], "number", ["0", "0.5"]),
        (["9007199254740993", "9007199254740992"], "category", ["9007199254740993", "9007199254740992"]),
        (["31/12/2023", "1/2/2024"], "date", ["2023-12-31", "2024-02-01"]),
        (["12/31/2023", "2/1/2024"], "date", ["2023-12-31", "2024-02-01"]),
        (["1/2/2024", "3/4/2024"], "category", ["1/2/2024", "3/4/2024"]),
        (["1.2.2024", "01.02.2024"], "date", ["2024-02-01", "2024-02-01"]),
        (["1.2.2024 10:30"], "date", ["2024-02-01T10:30"]),
        (["2023-02-30", "2023-01-01"], "category", ["2023-02-30", "2023-01-01"]),
        (["+1", "-2e3"], "number", ["1", "-2000"]),
        (["0x10", "1_000"], "category", ["0x10", "1_000"]),
    ],
)
def test_what_a_column_is_taken_for(cells: list[str], kind: str, shown: list[str]) -> None:
    column = column_from_text("c", cells)
    assert (column.kind, column.texts()) == (kind, shown)


def test_an_order_of_day_and_month_that_fits_both_ways_is_taken_only_when_named() -> None:
    column = column_from_text("c", ["1/2/2024"], HowRead(types={"c": "date"}))
    assert column.levels == ("2024-02-01",)


@pytest.mark.parametrize(
    ("cells", "kind", "words"),
    [
        (["1", "x", "2"], "number", "column c, row 3: 'x' is not a number. Mend"),
        (["2024-01-01", "soon"], "date", "column c, row 3: 'soon' is not a date"),
        (["a", "b", "c"], "yes_no", "has 3 values, so it is not yes/no"),
        (["1", "inf"], None, "column c, row 3: 1 cell is infinite"),
        (["1", "-Infinity", "inf"], None, "2 cells are infinite"),
    ],
)
def test_cells_that_do_not_fit_are_named(cells: list[str], kind: str | None, words: str) -> None:
    how = HowRead.model_validate({"types": {"c": kind} if kind else {}})
    with pytest.raises(UserError) as caught:
        column_from_text("c", cells, how, "rows.csv")
    assert words in str(caught.value)


def test_a_sheet_is_read_as_it_was_saved() -> None:
    rows: list[list[object]] = [
        ["name", "size", "on", "at", "well", "sum"],
        ["Ösp", 1.5, datetime.date(2024, 1, 31), datetime.datetime(2024, 1, 31, 9, 30), True, "=1+1"],
        [None, None, None, None, None, None],
        ["=cmd()", 2, None, None, False, None],
    ]
    read = read_file(workbook(rows), "rows.xlsx")
    assert read.how.words == "sheet 'first', names in the first row"
    table = read.table
    assert table.column("name").texts() == ["Ösp", None]
    assert table.column("size").texts() == ["1.5", "2"]
    assert table.column("on").texts() == ["2024-01-31", None]
    assert table.column("at").texts() == ["2024-01-31T09:30:00", None]
    assert table.column("well").kind == "yes_no"
    # Nobody computed it, so nothing is there; no formula is evaluated here.
    assert table.column("sum").texts() == [None, None]


def test_the_sheet_can_be_chosen() -> None:
    data = workbook([], ("homes", [["x"], [1]]), ("more", [["y"], [2]]))
    assert read_file(data, "r.xlsx").sheets == ("first", "homes", "more")
    assert read_file(data, "r.xlsx").table.names == ("x",)
    assert read_file(data, "r.xlsx", HowRead(sheet="more")).table.names == ("y",)
    with pytest.raises(UserError, match="no sheet 'none'"):
        read_file(data, "r.xlsx", HowRead(sheet="none"))
    with pytest.raises(UserError, match="'first' is empty"):
        read_file(data, "r.xlsx", HowRead(sheet="first"))


def test_an_open_document_sheet() -> None:
    stream = io.BytesIO()
    pd.DataFrame({"k": ["a", "b"], "n": [1.5, None]}).to_excel(stream, engine="odf", index=False)  # type: ignore[arg-type]
    table = read_table(stream.getvalue(), "rows.ods")
    assert text(table) == {"k": ["a", "b"], "n": ["1.5", None]}


def test_parquet_keeps_its_kinds() -> None:
    table = read_table(
        parquet(
            pa.table(
                {
                    "whole": pa.array([1, None, 999], pa.int32()),
                    "long": pa.array([2**60, 2**60 + 1, 1], pa.int64()),
                    "level": pa.array(["b", "a", "b"]).dictionary_encode(),
                    "on": pa.array([datetime.date(2024, 1, 31), None, None]),
                    "at": pa.array([datetime.datetime(2024, 1, 31, 9, 30), None, None], pa.timestamp("us")),
                    "well": pa.array([True, False, None]),
                    "money": pa.array([None, None, None], pa.decimal128(5, 2)),
                }
            )
        ),
        "rows.parquet",
        HowRead(missing=("999",)),
    )
    assert [column.kind for column in table.columns] == [
        "number", "category", "category", "date", "date", "yes_no", "number",
    ]  # fmt: skip
    assert table.column("whole").texts() == ["1", None, None]
    assert table.column("long").texts()[:2] == ["1152921504606846976", "1152921504606846977"]
    assert table.column("at").texts()[0] == "2024-01-31T09:30:00"


@pytest.mark.parametrize(
    ("data", "file", "words"),
    [
        (b"a,b\n1,2\n3\n", "r.csv", "row 3: The row has 1 cells and the header has 2"),
        (b'a,b\n1,"2\n3,4\n', "r.csv", "row 3: The row can't be read as CSV"),
        (b'a,b\n1,"2\n3,"4\n', "r.csv", "r.csv, row 3"),
        (b"a,a\n1,2\n", "r.csv", "column a, row 1: Two columns have this name"),
        (b"a, a\n1,2\n", "r.csv", "Two columns have this name"),
        (b"a\n1\n\x00\n", "r.csv", "row 3: The file holds bytes of value 0"),
        (b"a\n1\n\xff\x81\n", "r.csv", "row 3: The text is neither UTF-8 nor Windows-1252: byte 0x81"),
        (b"\xff\xfea\x00\n\x00\x00\xd8", "r.csv", "not UTF-16"),
        (b"a,b\n", "r.csv", "no data row"),
        (
            ",".join(f"c{i}" for i in range(10_000)).encode() + b"\n" + b",".join([b"1"] * 10_000),
            "r.csv",
            "10000 columns",
        ),
        (b"PK\x03\x04 no", "r.xlsx", "not a workbook"),
        (b"\xd0\xcf\x11\xe0 old", "r.xlsx", "not a workbook"),
        (workbook([]), "r.xlsx", "No sheet has a cell"),
        (workbook([["a"]]), "r.xlsx", "no data row"),
        (b"PAR1PAR1", "r.parquet", "not a Parquet file"),
        (parquet(pa.table({"x": [[1], [2]]})), "r.parquet", "column x: The column holds values of kind list"),
        (parquet(pa.table({"x": [1.0, float("inf")]})), "r.parquet", "column x, row 2: 1 cell is infinite"),
    ],
)
def test_what_is_wrong_is_said_with_its_place(data: bytes, file: str, words: str) -> None:
    with pytest.raises(UserError) as caught:
        read_table(data, file)
    assert words in str(caught.value)
    assert caught.value.todo


def test_a_named_encoding_must_fit() -> None:
    with pytest.raises(UserError, match="row 2: The text is not UTF-8: byte 0xd6"):
        read_table("a\nÖ\n".encode("cp1252"), "r.csv", HowRead(encoding="utf-8"))


def test_a_bomb_is_stopped_while_it_is_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/worksheets/sheet1.xml", b"0" * 30_000_000)
    monkeypatch.setattr("brookfall.core.table.read.MAX_UNPACKED", 20_000_000)
    with pytest.raises(UserError, match="unpacks to more than"):
        read_table(stream.getvalue(), "r.xlsx")
    squeezed = parquet(pa.table({"x": np.zeros(4_000_000)}))
    assert len(squeezed) < 100_000
    with pytest.raises(UserError, match="unpacks to more than"):
        read_table(squeezed, "r.parquet")


def test_a_category_of_very_many_levels() -> None:
    levels = [f"k{i}" for i in range(50_000)]
    column = column_from_text("c", levels * 3)
    assert column.kind == "category"
    assert len(column.levels) == 50_000
    assert column.texts()[-1] == "k49999"


def test_a_large_file_is_read_in_passes_to_the_same_table(monkeypatch: pytest.MonkeyPatch) -> None:
    rows = "\n".join(f"{i},{i % 7},w{i % 3},{i / 4}" for i in range(5_000))
    data = f"a,b,c,d\n{rows}\n".encode()
    whole = read_table(data, "r.csv")
    monkeypatch.setattr("brookfall.core.table.read_csv._TEXT_AT_ONCE", len(data) // 3)
    assert read_table(data, "r.csv").fingerprint == whole.fingerprint


def test_a_row_longer_than_a_block() -> None:
    long = "x" * 3_000_000
    table = read_table(f'a,b\n"{long}",1\n"y\nz",2\n'.encode(), "r.csv")
    assert table.column("a").levels == (long, "y\nz")


@pytest.mark.parametrize("late", ["seven", "007", str(2**60 + 1)])
def test_a_column_that_looks_like_numbers_for_long(late: str) -> None:
    rows = "".join(f"{i},{i}\n" for i in range(200_000))
    column = read_table(f"a,b\n{rows}5,{late}\n".encode(), "r.csv").column("b")
    assert column.kind in ("category", "text")
    assert late in column.levels
    assert read_table(f"a,b\n{rows}".encode(), "r.csv").column("b").kind == "number"


cells = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=12)


@examples(150)
@given(st.lists(st.lists(cells, min_size=3, max_size=3), min_size=1, max_size=12), st.sampled_from([",", ";", "\t"]))
def test_what_was_written_is_what_is_read(rows: list[list[str]], separator: str) -> None:
    frame = pd.DataFrame(rows, columns=["one", "two", "three"])
    data = frame.to_csv(index=False, sep=separator, quoting=1).encode()
    how = HowRead(separator=separator, header=True, decimal=".", missing=(), types=dict.fromkeys(frame.columns, "text"))
    table = read_table(data, "r.csv", how)
    for name in frame.columns:
        found = ["" if cell is None else cell for cell in table.column(name).texts()]
        assert found == [pa.compute.utf8_trim_whitespace(cell).as_py() for cell in frame[name]]


def table_or_message(data: bytes, file: str) -> Table | UserError:
    """Whatever else is raised fails the test."""
    try:
        return read_table(data, file)
    except UserError as problem:
        return problem


@examples(250)
@given(st.binary(max_size=300), st.sampled_from(READABLE))
def test_any_bytes_are_a_table_or_a_clear_message(data: bytes, suffix: str) -> None:
    found = table_or_message(data, f"r{suffix}")
    if isinstance(found, UserError):
        assert found.todo
        assert found.file == f"r{suffix}"
    else:
        assert found.n_rows > 0
        assert 0 < len(found.names) <= MAX_COLUMNS


@examples(150)
@given(st.data())
def test_a_file_spoilt_anywhere_is_a_table_or_a_clear_message(data: st.DataObject) -> None:
    whole = data.draw(st.sampled_from([WHOLE_XLSX, WHOLE_PARQUET, WHOLE_CSV]))
    place = data.draw(st.integers(0, len(whole[1]) - 1))
    spoilt = whole[1][:place] + data.draw(st.binary(max_size=8)) + whole[1][place + data.draw(st.integers(0, 8)) :]
    found = table_or_message(spoilt, whole[0])
    assert found.todo if isinstance(found, UserError) else found.names


WHOLE_CSV = ("r.csv", b'a;b;c\n1,5;"x ""y""";2024-01-31\n2;z;\n')
WHOLE_PARQUET = ("r.parquet", parquet(pa.table({"a": [1.5, None], "b": ["x", "y"]})))
WHOLE_XLSX = ("r.xlsx", workbook([["a", "b"], [1, "x"], [2, "y"]]))
