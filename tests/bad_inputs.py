"""Some hundreds of packages that are broken, hostile or odd, by name; each as its files, or as the bytes of a zip.

Those whose name begins with ``?`` may be taken as they are: what matters of them is that nothing breaks.
"""

import copy
import gzip
import io
import struct
import warnings
import zipfile
from collections.abc import Iterator
from functools import cache
from typing import Any

import openpyxl
import pandas as pd
import yaml

from tests.conftest import SOAK, declaration, files_of, rows_csv
from tests.core.test_package import BROKEN, zipped

Sent = dict[str, bytes] | bytes

_ROWS = rows_csv(n=80)
_PORTION = 60
_HEAD, *_LINES = _ROWS.splitlines()


@cache
def bad_inputs() -> dict[str, Sent]:
    found: dict[str, Sent] = {}
    for source in (_known, _declarations, _tables, _archives, _scores, _artefacts, _texts):
        for name, sent in source():
            assert name not in found, name
            found[name] = sent
    return found


def _known() -> Iterator[tuple[str, Sent]]:
    for name, (files, *_) in BROKEN.items():
        yield f"known: {name}", files


# submission.yaml


def _declarations() -> Iterator[tuple[str, Sent]]:
    """Every entry of a full declaration taken away or put in another form."""
    full = declaration(
        predictions=[{"path": "scores.csv", "data": "rows", "key": "id", "score": "p", "part": "test"}],
        expectations=[{"feature": "x", "sign": "positive"}],
    )
    full["recipe"] |= {"settings": {"penalty": "l2", "strength": 1}, "split": {"test": 0.2, "seed": 7}}
    beside = {"data/rows.csv": _ROWS.encode(), "scores.csv": _scores_csv()}
    for place in _places(full):
        words = ".".join(map(str, place))
        for kind, value in _OTHERS.items():
            changed = copy.deepcopy(full)
            _put(changed, place, value)
            yield f"?{words} is {kind}", {**beside, "submission.yaml": yaml.safe_dump(changed).encode()}


_ABSENT = object()
_OTHERS: dict[str, Any] = {
    "absent": _ABSENT,
    "nothing": None,
    "a list of lists": [[[]], [[1]]],
    "a mapping": {"a": {"b": []}},
    "minus infinity": float("-inf"),
    "a long text": "long " * 5000,
    "a control sign": "a\x07b",
}


def _places(value: Any, place: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, below in inside:
        yield (*place, key)
        yield from _places(below, (*place, key))


def _put(whole: Any, place: tuple[Any, ...], value: Any) -> None:
    for key in place[:-1]:
        whole = whole[key]
    if value is _ABSENT:
        del whole[place[-1]]
    else:
        whole[place[-1]] = value


def _texts() -> Iterator[tuple[str, Sent]]:
    rows = {"data/rows.csv": _ROWS.encode()}
    for name, text in {
        "nothing at all": "",
        "one word": "model",
        "a list": "- brookfall: 1",
        "a tag of Python": "!!python/object/apply:os.system ['true']",
        "an alias": "a: &a 1\nb: *a",
        "an alias bomb": "\n".join(
            ["a0: &a0 [x, x]", *(f"a{n}: &a{n} [*a{n - 1}, *a{n - 1}, *a{n - 1}]" for n in range(1, 30))]
        ),
        "a number that is none": "brookfall: !!int zz",
        "a moment that is none": "brookfall: !!timestamp zzz",
        "deep brackets": "a: " + "[" * 5000,
        "two documents": "brookfall: 1\n---\nbrookfall: 1",
        "a key twice": "brookfall: 1\nbrookfall: 2",
        "tabs": "brookfall:\t1\n\tmodel: x",
        "another version": "brookfall: 99",
        "a scalar of 2 MB": f"brookfall: '{'x' * (2 << 20)}'",
    }.items():
        yield f"yaml: {name}", {**rows, "submission.yaml": text.encode()}
    yield "yaml: no text", {**rows, "submission.yaml": bytes(range(256))}
    yield "?yaml: UTF-16", {**rows, "submission.yaml": yaml.safe_dump(declaration()).encode("utf-16")}
    many = [{"measure": "auc", "value": "0.7", "part": "test"}] * 10_000
    yield "yaml: 10 000 claims", files_of(claims=many)
    for name, text in {"garbage": "{", "another schema": "[]", "odd fields": '{"resources": [{"path": 3}]}'}.items():
        yield f"?datapackage.json: {name}", {**files_of(), "datapackage.json": text.encode()}


# Tables


def _tables() -> Iterator[tuple[str, Sent]]:
    for name, text in {
        "?tables: NUL": _ROWS.replace("red", "r\0d"),
        "?tables: two BOMs": "\ufeff\ufeff" + _ROWS,
        "tables: only line ends": "\n" * 500,
        "tables: only commas": ",,,,\n" * 50,
        "tables: only quotes": '"' * 4001,
        "?tables: a cell of 2 MB": _ROWS.replace("red", "r" * (2 << 20), 1),
        "?tables: numbers without end": _ROWS.replace(",0.", ",1e999.", 5),
        "?tables: inf and nan": "\n".join(
            [_HEAD, *(f"{i},inf,nan,red,f,old,{'yes' if i % 2 else 'no'}" for i in range(60))]
        ),
        "?tables: huge whole numbers": "\n".join(
            [_HEAD, *(f"{10**40 + i},{10**300},{-(10**300)},red,f,old,{'yes' if i % 2 else 'no'}" for i in range(60))]
        ),
        "tables: no outcome at all": "\n".join([_HEAD, *(line.rsplit(",", 1)[0] + "," for line in _LINES)]),
        "tables: one row": "\n".join([_HEAD, _LINES[0]]),
        "?tables: two rows": "\n".join(
            [_HEAD, _LINES[0].rsplit(",", 1)[0] + ",yes", _LINES[1].rsplit(",", 1)[0] + ",no"]
        ),
        "tables: a name of 10 000 signs": "x" * 10_000 + _ROWS,
        "?tables: a name that is a formula": _ROWS.replace("kind", "=1+1", 1),
        "?tables: formulas": _ROWS.replace("red", "=cmd|' /C calc'!A0"),
        "?tables: markup": _ROWS.replace("red", "<script>alert(1)</script>"),
        "?tables: signs that turn the line": _ROWS.replace("red", "\u202ered"),
        "?tables: lone halves of signs": _ROWS.replace("red", "r\ufffdd"),
        "?tables: semicolons within commas": _ROWS.replace("red", "r;e;d"),
        "?tables: old line ends": _ROWS.replace("\n", "\r"),
        "tables: empty names": _ROWS.replace(_HEAD, ",,,,,,"),
        "tables: names alike but for case": _ROWS.replace("x,z", "Y,z", 1).replace("kind", "y", 1),
        "tables: 40 000 columns": ",".join(f"c{n}" for n in range(40_000))
        + "\n"
        + ",".join("1" for _ in range(40_000)),
        "?tables: all rows alike": "\n".join(
            [_HEAD, *([_LINES[0]] * 40), *([_LINES[0].rsplit(",", 1)[0] + ",no"] * 40)]
        ),
        "?tables: every text another": "\n".join(
            [_HEAD, *(f"{i},{i},{i},kind{i},sex{i},age{i},{'yes' if i % 2 else 'no'}" for i in range(80))]
        ),
    }.items():
        yield name, files_of(csv=text.encode("utf-8", "replace"))
    for name, data in {
        "UTF-16": _ROWS.encode("utf-16"),
        "a picture": b"\x89PNG\r\n\x1a\n" + bytes(500),
        "a squeezed file": gzip.compress(_ROWS.encode()),
        "a program": b"\x7fELF" + bytes(range(256)) * 20,
        "random bytes": bytes((i * 7919 + i // 3) % 256 for i in range(5000)),
    }.items():
        yield f"{'?' if name == 'UTF-16' else ''}tables: {name} called CSV", files_of(csv=data)
    frame = pd.read_csv(io.StringIO(_ROWS))
    held = io.BytesIO()
    frame.to_parquet(held)
    parquet, sheet = held.getvalue(), _workbook()
    for kind, whole in {"parquet": parquet, "xlsx": sheet, "ods": sheet}.items():
        for name, data in {
            "empty": b"",
            "its first half": whole[: len(whole) // 2],
            "its last half": whole[len(whole) // 2 :],
            "text": _ROWS.encode(),
            "a byte changed in the middle": _changed(whole, len(whole) // 2),
            "a byte changed near its end": _changed(whole, len(whole) - 40),
            "zeros": bytes(3000),
            "a zip of nothing": zipped({}),
            "a zip of something else": zipped({"a.txt": b"a"}),
        }.items():
            sure = "?" if "changed" in name else ""
            yield f"{sure}{kind}: {name}", _with_table(f"data/rows.{kind}", data)
    yield "xlsx: cells at both ends", _with_table("data/rows.xlsx", _workbook({"A1": "y", "XFD1048576": 1}))
    yield "xlsx: no sheet of rows", _with_table("data/rows.xlsx", _workbook({}))
    yield "xlsx: a bomb", _with_table("data/rows.xlsx", zipped({"xl/worksheets/sheet1.xml": bytes(300 << 20)}))
    yield "ods: rows repeated without end", _with_table("data/rows.ods", _repeated_ods())


def _with_table(path: str, data: bytes) -> dict[str, bytes]:
    (entry,) = declaration()["data"]
    declared = declaration(data=[{**entry, "path": path}], claims=[])
    return {"submission.yaml": yaml.safe_dump(declared).encode(), path: data}


def _workbook(cells: dict[str, Any] | None = None) -> bytes:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    if cells is None:
        for line in _ROWS.splitlines():
            sheet.append(line.split(","))
    else:
        for place, value in cells.items():
            sheet[place] = value
    held = io.BytesIO()
    book.save(held)
    return held.getvalue()


def _repeated_ods() -> bytes:
    table = "urn:oasis:names:tc:opendocument:xmlns:table:1.0"
    office = "urn:oasis:names:tc:opendocument:xmlns:office:1.0"
    text = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"
    content = (
        f'<office:document-content xmlns:office="{office}" xmlns:table="{table}" xmlns:text="{text}"><office:body>'
        '<office:spreadsheet><table:table table:name="a"><table:table-row table:number-rows-repeated="1000000000">'
        '<table:table-cell office:value-type="string" table:number-columns-repeated="16000"><text:p>y</text:p>'
        "</table:table-cell></table:table-row></table:table></office:spreadsheet></office:body></office:document-content>"
    )
    return zipped({"mimetype": b"application/vnd.oasis.opendocument.spreadsheet", "content.xml": content.encode()})


def _changed(data: bytes, place: int) -> bytes:
    return data[:place] + bytes([data[place] ^ 0xFF]) + data[place + 1 :]


# Archives


def _archives() -> Iterator[tuple[str, Sent]]:
    whole = zipped(files_of(csv=_ROWS))
    for share in (0.01, 0.1, 0.5, 0.9, 0.99):
        yield f"zip: the first {share:.0%}", whole[: int(share * len(whole))]
    for share in (0.02, 0.3, 0.6, 0.95):
        yield f"?zip: a byte changed at {share:.0%}", _changed(whole, int(share * len(whole)))
    yield "zip: nothing", b""
    yield "zip: no file in it", zipped({})
    yield "zip: text", b"submission.yaml"
    yield "zip: a zip in a zip", zipped({"package.zip": whole})
    yield "zip: nothing but folders", _archive([("a/", b""), ("a/b/", b"")])
    yield "zip: a file twice", _archive([*files_of(csv=_ROWS).items(), ("submission.yaml", b"brookfall: 2")])
    for path in (
        "../up.csv",
        "/etc/passwd",
        "C:/x.csv",
        "a/../../b.csv",
        "a\\..\\b.csv",
        "\0.csv",
        "x" * 3000 + ".csv",
    ):
        yield f"?zip: a path {path[:12]!r}", _archive([*files_of(csv=_ROWS).items(), (path, b"1")])
    yield "zip: 30 000 files", _archive([*files_of(csv=_ROWS).items(), *((f"f{n}.txt", b"") for n in range(30_000))])
    yield "?zip: 400 MB of zeros", zipped({**files_of(csv=_ROWS), "zeros.csv": bytes(400 << 20)})
    link = zipfile.ZipInfo("link.csv")
    link.external_attr = 0o120777 << 16
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w") as archive:
        for path, data in files_of(csv=_ROWS).items():
            archive.writestr(path, data)
        archive.writestr(link, b"/etc/passwd")
    yield "?zip: a link", held.getvalue()
    yield "zip: said to be encrypted", _flagged(whole)
    for name, how in {"bzip2": zipfile.ZIP_BZIP2, "LZMA": zipfile.ZIP_LZMA}.items():
        packed = _archive(list(files_of(csv=_ROWS).items()), how)
        yield f"?zip: {name}, damaged", _changed(packed, len(packed) // 3)


def _archive(files: list[tuple[str, bytes]], how: int = zipfile.ZIP_DEFLATED) -> bytes:
    held = io.BytesIO()
    with warnings.catch_warnings(), zipfile.ZipFile(held, "w", how) as archive:
        warnings.simplefilter("ignore")  # a path twice is what is wanted
        for path, data in files:
            info = zipfile.ZipInfo("x")
            info.filename = path
            archive.writestr(info, data, how)
    return held.getvalue()


def _flagged(data: bytes) -> bytes:
    """As if every file in the archive were encrypted."""
    changed = bytearray(data)
    for head, flags in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        at = -1
        while (at := changed.find(head, at + 1)) >= 0:
            struct.pack_into("<H", changed, at + flags, 1)
    return bytes(changed)


# Supplied scores


def _scores_csv(lines: list[str] | None = None, head: str = "id,p") -> bytes:
    rows = [f"{i},{(i % 10) / 10}" for i in range(80)] if lines is None else lines
    return "\n".join([head, *rows]).encode() + b"\n"


def _scores() -> Iterator[tuple[str, Sent]]:
    sound = [f"{i},{(i % 10) / 10}" for i in range(80)]
    entry = {"path": "scores.csv", "data": "rows", "key": "id", "score": "p"}
    for name, lines in {
        "none": [],
        "a key twice": [*sound, sound[0]],
        "a key of no row": [*sound, "9999,0.5"],
        "a key missing": [",0.5", *sound[1:]],
        "in words": [line.rsplit(",", 1)[0] + ",high" for line in sound],
        "nan": [line.rsplit(",", 1)[0] + ",nan" for line in sound],
        "inf": [line.rsplit(",", 1)[0] + ",inf" for line in sound],
        "one gap": [*sound[:-1], "79,"],
        "all alike": [line.rsplit(",", 1)[0] + ",0.5" for line in sound],
        "a points scale": [line.rsplit(",", 1)[0] + f",{i * 7}" for i, line in enumerate(sound)],
        "minus": [line.rsplit(",", 1)[0] + ",-3" for line in sound],
        "ragged": [*sound, "1,2,3,4"],
    }.items():
        sure = (
            "?" if name in ("all alike", "a points scale", "minus", "one gap", "none", "nan", "a key missing") else ""
        )
        files = files_of(csv=_ROWS, predictions=[entry], claims=[])
        yield f"{sure}scores: {name}", {**files, "scores.csv": _scores_csv(lines)}
    others: dict[str, dict[str, Any]] = {
        "of no column": {"score": "q"},
        "by no key": {"key": "who"},
        "of another table": {"data": "homes"},
        "of a file that is not there": {"path": "nowhere.csv"},
        "of the rows' own target": {"score": "y"},
        "of classes": {"score": None, "scores": {"yes": "p"}},
    }
    for name, other in others.items():
        files = files_of(csv=_ROWS, predictions=[{**entry, **other}], claims=[])
        yield f"?scores: {name}", {**files, "scores.csv": _scores_csv()}
    short = files_of(csv=_ROWS, predictions=[{"path": "scores.csv", "score": "p"}], claims=[])
    yield "scores: fewer than rows, and no key", {**short, "scores.csv": _scores_csv(sound[:40])}


# Fitted models


def _artefacts() -> Iterator[tuple[str, Sent]]:
    declared = files_of(csv=_ROWS, artifact={"path": "model.onnx"}, claims=[])
    pickled = b"\x80\x04\x95\x1b\x00\x00\x00\x00\x00\x00\x00\x8c\x05posix\x94\x8c\x06system\x94\x93\x94\x8c\x02id\x94\x85\x94R\x94."
    for name, data in {
        "nothing": b"",
        "text": b"a model",
        "zeros": bytes(4000),
        "a pickle": pickled,
        "random bytes": bytes((i * 31 + i // 7) % 256 for i in range(9000)),
        "a length without end": b"\x3a\xff\xff\xff\xff\xff\xff\xff\xff\x7f" + bytes(100),
        "a version alone": b"\x08\x08",
    }.items():
        yield f"model: {name}", {**declared, "model.onnx": data}
    for path in ("model.pkl", "model.joblib", "model.onnx.zip"):
        files = files_of(csv=_ROWS, artifact={"path": path}, claims=[])
        yield f"model: called {path}", {**files, path: pickled}


def in_portions() -> list[list[str]]:
    """Their names, some at a time, so that tests side by side share them out: all that are surely bad and every third of
    the others; in ``make soak`` all."""
    sure = [name for name in bad_inputs() if not name.startswith("?")]
    others = [name for name in bad_inputs() if name.startswith("?")][:: 3 if SOAK == 1 else 1]
    names = sure + others
    return [names[start : start + _PORTION] for start in range(0, len(names), _PORTION)]
