"""What a text file says of itself: its encoding, separator, decimal mark, and whether its first row names columns."""

import codecs
import csv
import io
import re
from collections import Counter

from brookfall.core.foundation.errors import UserError

_SEPARATORS = (",", ";", "\t", "|")
_SAMPLE = 1 << 20
_SAMPLE_ROWS = 2000
_BLOCK = 1 << 20
_COMMA_DECIMAL = re.compile(r"[+-]?\d*,\d+([eE][+-]?\d+)?")
_POINT_DECIMAL = re.compile(r"[+-]?\d*\.\d+([eE][+-]?\d+)?")
_NUMBER = re.compile(r"[+-]?(\d+[.,]?\d*|[.,]\d+)([eE][+-]?\d+)?")
_UNDEFINED = (0x81, 0x8D, 0x8F, 0x90, 0x9D)
"""Bytes that mean nothing in Windows-1252."""

Cells = list[list[str]]


def encoding_of(data: bytes, file: str, wanted: str | None) -> str:
    """The encoding that all of the bytes can be read in: by byte-order mark, else UTF-8, else Windows-1252.

    UserError, with the row, where the wanted one does not fit, or none does.

    >>> encoding_of("Öl".encode("cp1252"), "a.csv", None)
    'cp1252'
    """
    if wanted is None and data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        wanted = "utf-16"
    if wanted == "utf-16":
        try:
            data.decode("utf-16")
        except UnicodeDecodeError as problem:
            raise _unreadable(data, problem.start, "UTF-16", file) from problem
        return wanted
    null = data.find(b"\0")
    if null >= 0:
        raise UserError(
            "The file holds bytes of value 0, so it is no text file.",
            todo="Save it as CSV in UTF-8, or name its encoding.",
            file=file,
            row=_row(data, null),
        )
    fault = _fault_in_utf8(data) if wanted != "cp1252" else None
    if wanted != "cp1252" and fault is None:
        return "utf-8"
    places = [data.find(bytes([byte])) for byte in _UNDEFINED]
    undefined = min((place for place in places if place >= 0), default=None)
    if wanted == "utf-8" and fault is not None:
        raise _unreadable(data, fault, "UTF-8", file)
    if undefined is not None:
        raise _unreadable(data, undefined, "UTF-8 nor Windows-1252" if wanted is None else "Windows-1252", file)
    return "cp1252"


def _unreadable(data: bytes, place: int, name: str, file: str) -> UserError:
    either = "neither " if " nor " in name else "not "
    return UserError(
        f"The text is {either}{name}: byte {data[place]:#04x} can't be read.",
        todo="Save the file again as UTF-8.",
        file=file,
        row=_row(data, place),
    )


def _row(data: bytes, place: int) -> int:
    return data.count(b"\n", 0, place) + 1


def _fault_in_utf8(data: bytes) -> int | None:
    """Where the bytes stop being UTF-8; read in blocks, so that no second copy of the file is made."""
    if data.isascii():
        return None
    decoder = codecs.getincrementaldecoder("utf-8")()
    view = memoryview(data)
    for start in range(0, len(data), _BLOCK):
        kept = len(decoder.getstate()[0])
        try:
            decoder.decode(bytes(view[start : start + _BLOCK]), final=start + _BLOCK >= len(data))
        except UnicodeDecodeError as problem:
            return start - kept + problem.start
    return None


def sample_of(data: bytes, encoding: str) -> str:
    """The first MiB as text, cut after its last whole line."""
    head = data[:_SAMPLE]
    text = head.decode("utf-8-sig" if encoding == "utf-8" else encoding, errors="ignore")
    if len(data) <= _SAMPLE:
        return text
    cut = max(text.rfind("\n"), text.rfind("\r"))
    return text[: cut + 1] if cut >= 0 else text


def cells_of(sample: str, separator: str) -> Cells:
    """The first rows of a sample as cells; rows after one that can't be read are left out."""
    rows: Cells = []
    reader = csv.reader(io.StringIO(sample, newline=""), delimiter=separator)
    try:
        for cells in reader:
            if cells:
                rows.append(cells)
            if len(rows) >= _SAMPLE_ROWS:
                break
    except csv.Error:
        pass
    return rows


def separator_of(sample: str) -> str:
    """The separator under which most rows have as many cells as the first, and the most cells.

    >>> separator_of("a;b 1,5;2".replace(" ", chr(10))), separator_of("just one")
    (';', ',')
    """
    best, best_score = ",", (0.0, 0)
    for separator in _SEPARATORS:
        widths = Counter(len(cells) for cells in cells_of(sample, separator))
        if not widths:
            continue
        first = len(cells_of(sample, separator)[0])
        if first < 2:
            continue
        score = (widths[first] / widths.total(), first)
        if score > best_score:
            best, best_score = separator, score
    return best


def decimal_of(rows: Cells, separator: str) -> str:
    """A comma where some column's fractions are all written with commas and none's with points.

    >>> decimal_of([["x"], ["1,5"], ["2"]], ";")
    ','
    """
    if separator == "," and not any("," in cell for cells in rows for cell in cells):
        return "."
    commas = points = 0
    for place in range(len(rows[0]) if rows else 0):
        cells = [row[place].strip() for row in rows[1:] if place < len(row) and row[place].strip()]
        numbers = [cell for cell in cells if _NUMBER.fullmatch(cell)]
        if len(numbers) < 0.5 * len(cells):
            continue
        commas += any(_COMMA_DECIMAL.fullmatch(cell) for cell in numbers)
        points += any(_POINT_DECIMAL.fullmatch(cell) for cell in numbers)
    return "," if commas and not points else "."


def has_header(rows: Cells) -> bool:
    """Whether the first row names the columns: not where it has a number in every column of numbers.

    >>> has_header([["a", "b"], ["1", "x"]]), has_header([["3", "y"], ["1", "x"]])
    (True, False)
    """
    if len(rows) < 2:
        return True
    first, rest = rows[0], rows[1:]
    of_numbers = [place for place in range(len(first)) if _mostly_numbers(rest, place)]
    return not of_numbers or not all(_NUMBER.fullmatch(first[place].strip()) for place in of_numbers)


def _mostly_numbers(rows: Cells, place: int) -> bool:
    cells = [row[place].strip() for row in rows if place < len(row) and row[place].strip()]
    return bool(cells) and sum(_NUMBER.fullmatch(cell) is not None for cell in cells) > 0.9 * len(cells)
