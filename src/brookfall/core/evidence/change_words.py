"""What an entry of the record changed, in words: before and after told apart value by value, not as JSON."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from brookfall.core.foundation.wording import listed

_SHA = re.compile(r"[0-9a-f]{64}")
_NAMES = ("name", "number", "id", "check", "column", "row", "path", "measure")
"""By which of their fields the things of a list are told apart, the first that each of them has."""
_LONG = 60
"""From how many characters on two texts are told apart by the words in which they differ."""
_WORDS = {
    "action_owner": "by whom",
    "cites": "exhibits cited",
    "csv": "CSV",
    "new_rows": "new rows cited",
    "in_use": "version in use",
    "sha256": "SHA-256",
    "n_rows": "rows",
}


@dataclass(frozen=True)
class ValueChange:
    """A value by what it is, as it was and as it is; None where there was or is none."""

    what: str
    before: str | None
    after: str | None


def changes(before: Any, after: Any) -> list[ValueChange]:
    """Every value that is another after than before, in the order in which they stand.

    Parameters
    ----------
    before, after
        What JSON can hold, as an entry of the record has it; None where there was or is nothing.

    Returns
    -------
    list
        One for each value that changed, was added or is gone; ``what`` is its path in words.

    Examples
    --------
    >>> changes({"seed": 1, "checks": ["gap", "claims"]}, {"seed": 2, "checks": ["gap", "labels"]})
    [ValueChange(what='seed', before='1', after='2'), ValueChange(what='checks', before='claims', after='labels')]
    >>> changes(None, {"state": "in_review"})
    [ValueChange(what='state', before=None, after='in review')]
    >>> changes({"folds": {"of": 5}}, {"folds": {"of": 5}})
    []
    """
    return list(_changes("", before, after))


def _changes(what: str, before: Any, after: Any) -> Iterator[ValueChange]:
    if _holds(before, dict) and _holds(after, dict) and (before or after):
        old, new = before or {}, after or {}
        for name in dict.fromkeys([*old, *new]):
            yield from _changes(_path(what, name), old.get(name), new.get(name))
    elif _holds(before, list) and _holds(after, list) and (before or after):
        yield from _of_lists(what, before or [], after or [])
    elif before != after or type(before) is not type(after):
        was, now = _told_apart(_words(before), _words(after))
        if was is not None or now is not None:
            yield ValueChange(what, was, now)


def _of_lists(what: str, before: list[Any], after: list[Any]) -> Iterator[ValueChange]:
    if not any(isinstance(one, dict | list) for one in (*before, *after)):
        gone = [one for one in before if one not in after]
        new = [one for one in after if one not in before]
        if gone or new:
            yield ValueChange(what, _all_words(gone), _all_words(new))
        elif before != after:
            yield ValueChange(what, _all_words(before), _all_words(after))
        return
    old, new_ones = _by_name(before), _by_name(after)
    if old is None or new_ones is None:
        old = {str(place): one for place, one in enumerate(before, 1)}
        new_ones = {str(place): one for place, one in enumerate(after, 1)}
    if list(old) != list(new_ones) and sorted(old) == sorted(new_ones):
        yield ValueChange(_path(what, "order"), ", ".join(old), ", ".join(new_ones))
    for name in dict.fromkeys([*old, *new_ones]):
        yield from _changes(_path(what, name, plain=True), old.get(name), new_ones.get(name))


def _by_name(things: list[Any]) -> dict[str, Any] | None:
    """The things by what each is called; None where they aren't called otherwise than each other."""
    if not things:
        return {}
    for field in _NAMES:
        if all(isinstance(one, Mapping) and isinstance(one.get(field), str | int) for one in things):
            found = {str(one[field]): {key: value for key, value in one.items() if key != field} for one in things}
            if len(found) == len(things):
                return found
    return None


def _holds(value: Any, kind: type) -> bool:
    return value is None or isinstance(value, kind)


def _path(what: str, name: str, *, plain: bool = False) -> str:
    words = name if plain else _WORDS.get(name, name.replace("_", " "))
    return f"{what}, {words}" if what else words


def _all_words(values: list[Any]) -> str | None:
    return listed([_words(one) or "nothing" for one in values]) if values else None


def _words(value: Any) -> str | None:
    """A value as one reads it; None of nothing, of an empty text or list."""
    if value is None or value in ("", [], {}):
        return None
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.15g}"
    if isinstance(value, str):
        return _text(value)
    if isinstance(value, list):
        return _all_words(value)
    if isinstance(value, dict):
        return ", ".join(f"{_path('', name)} {_words(one) or 'none'}" for name, one in value.items())
    return str(value)


def _text(value: str) -> str:
    if _SHA.fullmatch(value):
        return f"{value[:12]}…"
    day = _moment(value)
    if day is not None:
        return f"{day:%-d %b %Y}"
    return value.replace("_", " ") if re.fullmatch(r"[a-z]+(_[a-z]+)+", value) else value


def _moment(value: str) -> date | None:
    if not re.fullmatch(r"\d{4}-\d\d-\d\d(T[\d:.+Z-]*)?", value):
        return None
    try:
        return datetime.fromisoformat(value).date()
    except ValueError:
        return None


def _told_apart(before: str | None, after: str | None) -> tuple[str | None, str | None]:
    """Two texts; of two long ones what differs, with a word on either side and dots for the rest.

    >>> long = "It was measured on the rows of one winter and of no other season, which is too few."
    >>> _told_apart(long, long.replace("one winter", "two winters"))
    ('… of one winter and …', '… of two winters and …')
    """
    if before is None or after is None or max(len(before), len(after)) < _LONG:
        return before, after
    old, new = before.split(" "), after.split(" ")
    shorter = min(len(old), len(new))
    start = next((place for place in range(shorter) if old[place] != new[place]), shorter)
    end = next((place for place in range(shorter - start) if old[-1 - place] != new[-1 - place]), shorter - start)
    start, end = max(0, start - 1), max(0, end - 1)

    def between(words: list[str]) -> str:
        kept = " ".join(words[start : len(words) - end])
        return f"{'… ' if start else ''}{kept}{' …' if end else ''}"

    return between(old), between(new)
