"""A package broken in any way gets a message that says where and what to do."""

import io
import zipfile
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.foundation.errors import UserError
from brookfall.core.submission.files import files_of_folder, files_of_zip, package_hash
from brookfall.core.submission.package import Package, package_from_files, read_declaration
from brookfall.core.submission.subject import subject_of
from brookfall.core.table.read import read_table
from tests.conftest import declaration, files_of, rows_csv
from tests.made import examples


def zipped(files: dict[str, bytes], top: str = "") -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in files.items():
            archive.writestr(top + path, data)
    return stream.getvalue()


def with_roles(**roles: Any) -> dict[str, object]:
    (data,) = declaration()["data"]
    return {**data, "roles": {**data["roles"], **roles}}


def three_values() -> str:
    lines = rows_csv(60).splitlines()
    return "\n".join([*lines[:30], lines[30].rsplit(",", 1)[0] + ",maybe", *lines[31:]])


DECLARED = ("submission.yaml", None, None)
BROKEN = {
    "no declaration": ({"data/rows.csv": b"a,b\n1,2\n"}, "submission.yaml", None, None),
    "YAML error": ({**files_of(), "submission.yaml": b"brookfall: 1\nmodel: {a: [}\n"}, "submission.yaml", None, 2),
    "unknown entry": (files_of(surprise=1), "submission.yaml", None, None),
    "unknown family": (files_of(recipe={"family": "crystal_ball"}), "submission.yaml", None, None),
    "unknown setting": (files_of(recipe={"family": "tree", "settings": {"dept": 3}}), "submission.yaml", None, None),
    "claim of no number": (files_of(claims=[{"measure": "auc", "value": "nan", "part": "test"}]), *DECLARED),
    "claim without end": (files_of(claims=[{"measure": "log_loss", "value": "inf", "part": "test"}]), *DECLARED),
    "claim out of range": (files_of(claims=[{"measure": "auc", "value": "1.7", "part": "test"}]), *DECLARED),
    "claim in words": (files_of(claims=[{"measure": "auc", "value": "good", "part": "test"}]), *DECLARED),
    "threshold of seven": (files_of(recipe={"family": "logistic", "threshold": "7"}), *DECLARED),
    "threshold of nothing": (files_of(recipe={"family": "logistic", "threshold": "nan"}), *DECLARED),
    "claim at seven": (
        files_of(claims=[{"measure": "recall", "value": "0.5", "part": "test", "threshold": "7"}]),
        *DECLARED,
    ),
    "target that is protected": (files_of(data=[with_roles(protected=["y", "sex"])]), "data/rows.csv", "y", None),
    "unknown measure": (files_of(claims=[{"measure": "luck", "value": "1"}]), "submission.yaml", None, None),
    "absent file": (files_of(artifact={"path": "model/model.onnx"}), "model/model.onnx", None, None),
    "unknown column": (files_of(data=[with_roles(weight="mass")]), "data/rows.csv", "mass", None),
    "two roles": (files_of(data=[with_roles(weight="y")]), "data/rows.csv", "y", None),
    "empty file": (files_of(csv=""), "data/rows.csv", None, None),
    "header only": (files_of(csv="id,x,z,kind,sex,age,y\n"), "data/rows.csv", None, None),
    "ragged row": (files_of(csv=rows_csv(50) + "1,2,3\n"), "data/rows.csv", None, 52),
    "open quote": (files_of(csv=rows_csv(5) + '1,"2,3,red,f,old,yes\n'), "data/rows.csv", None, 7),
    "wrong encoding": (files_of(csv=rows_csv(9).encode() + "é".encode("latin-1")), "data/rows.csv", None, 11),
    "column twice": (files_of(csv="id,x,x,kind,sex,age,y\n"), "data/rows.csv", "x", 1),
    "one value": (files_of(csv=rows_csv(50).replace(",no", ",yes")), "data/rows.csv", "y", None),
    "three values": (files_of(csv=three_values()), "data/rows.csv", "y", None),
    "wrong positive": (files_of(data=[with_roles(positive="maybe")]), "data/rows.csv", "y", None),
    "absent part": (
        files_of(data=[with_roles(part="kind")], claims=[{"measure": "auc", "part": "test", "value": "1"}]),
        "data/rows.csv",
        "kind",
        None,
    ),
}


@pytest.mark.parametrize("name", BROKEN)
def test_broken_packages_say_where(name: str) -> None:
    files, file, column, row = BROKEN[name]
    with pytest.raises(UserError) as caught:
        package_from_files(files)
    assert caught.value.file == file
    assert caught.value.column == column
    assert caught.value.row == row
    assert caught.value.todo


@pytest.mark.parametrize(
    ("measure", "value", "message", "todo"),
    [
        ("auc", "nan", "A claim says that AUC is nan, which it can't be.", "It is at least 0 and at most 1."),
        ("auc", "81", "A claim says that AUC is 81", "A percentage is written as a share, 0.81."),
        ("mcc", "-1.2", "is -1.2, which it can't be.", "It is at least -1 and at most 1."),
        ("log_loss", "-0.3", "is -0.3, which it can't be.", "It is at least 0."),
        ("calibration_slope", "inf", "is inf, which it can't be.", "It is a finite number."),
    ],
)
def test_a_claim_that_can_not_be_is_refused_at_the_door(measure: str, value: str, message: str, todo: str) -> None:
    with pytest.raises(UserError) as caught:
        package_from_files(files_of(claims=[{"measure": measure, "value": value, "part": "test"}]))
    assert message in str(caught.value)
    assert todo in caught.value.todo


@pytest.mark.parametrize(
    ("measure", "value"), [("auc", "1.0"), ("mcc", "-0.2"), ("log_loss", "2.5"), ("calibration_slope", "3")]
)
def test_a_claim_at_the_ends_of_its_range_is_taken(measure: str, value: str) -> None:
    claims = [{"measure": measure, "value": value, "part": "test"}]
    (claim,) = package_from_files(files_of(claims=claims)).submission.claims
    assert claim.value == value


def test_another_outcome_is_refused_plainly() -> None:
    model = {**declaration()["model"], "outcome": "number"}
    with pytest.raises(UserError, match="number outcome"):
        subject_of(package_from_files(files_of(model=model)))


@pytest.mark.parametrize("path", ["../out.csv", "/etc/passwd", "a/../../b", "C:/x", "..\\x"])
def test_a_path_that_leaves_the_folder_is_refused(path: str) -> None:
    with pytest.raises(UserError, match="leaves the package's folder"):
        files_of_zip(zipped({path: b"x"}), 1000)


def test_not_a_zip() -> None:
    with pytest.raises(UserError, match="not a zip"):
        files_of_zip(b"PK but not really", 1000)


def test_a_zip_bomb_stops_at_the_limit() -> None:
    bomb = zipped({"zeros.csv": bytes(5_000_000)})
    assert len(bomb) < 10_000
    with pytest.raises(UserError, match="limit of 1 MB"):
        files_of_zip(bomb, 1_000_000)


def test_a_damaged_zip_is_told() -> None:
    data = bytearray(zipped({"a.csv": b"some text that is squeezed" * 40}))
    data[40:60] = bytes(20)
    with pytest.raises(UserError, match="damaged"):
        files_of_zip(bytes(data), 100_000)


def test_folder_and_zip_have_the_same_hash(tmp_path: Path) -> None:
    files = files_of()
    for path, data in files.items():
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_bytes(data)
    hashes = {
        package_hash(files_of_folder(tmp_path, 10**8)),
        package_hash(files_of_zip(zipped(files), 10**8)),
        package_hash(files_of_zip(zipped(files, top="package/"), 10**8)),
    }
    assert hashes == {package_hash(files)}


def test_a_link_in_a_folder_is_refused(tmp_path: Path) -> None:
    (tmp_path / "link").symlink_to("/etc/passwd")
    with pytest.raises(UserError, match="link"):
        files_of_folder(tmp_path, 10**8)


def test_scalars_are_read_as_written() -> None:
    text = yaml.safe_dump(declaration()).replace("'0.75'", "0.80").encode()
    claim = read_declaration(text).claims[0]
    assert claim.value == "0.80"
    assert claim.decimals == 2


def test_aliases_and_tags_are_refused() -> None:
    with pytest.raises(UserError, match="aliases"):
        read_declaration(b"a: &x [1]\nb: *x\n")
    with pytest.raises(UserError, match="YAML"):
        read_declaration(b"a: !!python/object/apply:os.system ['true']\n")


def test_kinds_are_inferred_from_all_rows(package: Package) -> None:
    kinds = {column.name: column.kind for column in package.table.columns}
    assert kinds["x"] == "number"
    assert kinds["kind"] == "category"
    assert kinds["y"] == "yes_no"
    assert package.table.column("x").missing.sum() == 11


@given(st.binary(max_size=300))
@examples(200)
def test_any_bytes_are_a_table_or_a_message(data: bytes) -> None:
    for file in ("a.csv", "a.parquet"):
        try:
            rows, todo = read_table(data, file).n_rows, ""
        except UserError as problem:
            rows, todo = 0, problem.todo
        assert rows or todo
