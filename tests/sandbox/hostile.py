"""Small files that ask for much: what a stranger may send."""

import io
import zipfile

import openpyxl
import pandas as pd

from tests.conftest import files_of

_REPEATED = (
    '<table:table-row table:number-rows-repeated="19000"><table:table-cell table:number-columns-repeated="1000" '
    'office:value-type="float" office:value="1"><text:p>1</text:p></table:table-cell></table:table-row></table:table>'
)


def xlsx(*cells: str) -> bytes:
    """A workbook with a 1 in each of these cells, such as A1."""
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    for cell in cells:
        sheet[cell] = 1
    stream = io.BytesIO()
    book.save(stream)
    return stream.getvalue()


def ods_of_repeated_rows() -> bytes:
    """A sheet of nineteen million cells, in a few thousand bytes."""
    stream, made = io.BytesIO(), io.BytesIO()
    pd.DataFrame({"a": [1]}).to_excel(stream, engine="odf", index=False)  # type: ignore[arg-type]
    with zipfile.ZipFile(stream) as before, zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as after:
        for entry in before.infolist():
            text = before.read(entry)
            if entry.filename == "content.xml":
                text = text.replace(b"</table:table>", _REPEATED.encode())
            after.writestr(entry, text)
    return made.getvalue()


def damaged_lzma_zip() -> bytes:
    """A zip whose one file is packed by LZMA, its bytes spoilt."""
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_LZMA) as archive:
        archive.writestr("submission.yaml", b"brookfall: 1\n" * 400)
    data = bytearray(file.getvalue())
    for place in range(60, 80):
        data[place] ^= 0xFF
    return bytes(data)


def package_with(path: str, data: bytes) -> dict[str, bytes]:
    """A sound declaration that names this file as its rows."""
    entry = {"name": "rows", "path": path, "roles": {"target": "y", "positive": "yes"}}
    sound = files_of(data=[entry], claims=[])
    return {"submission.yaml": sound["submission.yaml"], path: data}


def of_many_claims(count: int) -> dict[str, bytes]:
    return files_of(claims=[{"measure": "auc", "part": "test", "value": "0.75"} for _ in range(count)])


def declared_as(text: bytes) -> dict[str, bytes]:
    return {**files_of(), "submission.yaml": text}


ALIASES = (
    "a: &a [x,x,x,x,x,x,x,x,x]\n"
    + "".join(f"{chr(98 + i)}: &{chr(98 + i)} [{','.join(['*' + chr(97 + i)] * 9)}]\n" for i in range(8))
).encode()
"""A billion items in 500 bytes."""

PACKAGES: dict[str, tuple[dict[str, bytes] | bytes, str]] = {
    "two cells at the ends of a sheet": (package_with("r.xlsx", xlsx("A1", "XFD1048576")), "r.xlsx"),
    "a row as wide as a sheet": (package_with("r.xlsx", xlsx("A1", "XFD1", "XFD2")), "r.xlsx"),
    "repeated rows": (package_with("r.ods", ods_of_repeated_rows()), "r.ods"),
    "a scalar of 10 MB": (declared_as(b"a: " + b"x" * 10_000_000), "submission.yaml"),
    "brackets without end": (declared_as(b"[" * 900_000), "submission.yaml"),
    "aliases that multiply": (declared_as(ALIASES), "submission.yaml"),
    "a number that is none": (declared_as(b'brookfall: !!int "zz"'), "submission.yaml"),
    "a moment that is none": (declared_as(b'brookfall: !!timestamp "zzz"'), "submission.yaml"),
    "an object": (declared_as(b"brookfall: !!python/object/apply:os.system ['true']"), "submission.yaml"),
    "10 000 claims": (of_many_claims(10_000), "submission.yaml"),
    "a damaged LZMA zip": (damaged_lzma_zip(), "submission.yaml"),
    "no zip": (b"PK\x03\x04" + b"\x00" * 50, "the package"),
}
"""What is sent, and the file that the refusal has to name."""
