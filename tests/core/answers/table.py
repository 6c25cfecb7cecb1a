"""The table of answers, as Markdown, and what a new one must share with it."""

import re
from collections.abc import Iterable
from pathlib import Path

from brookfall.core.check.registry import checks
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.words import QUESTIONS

PAGE = Path(__file__).resolve().parents[3] / "docs" / "answers.md"
_HEAD = """# What every check says

Each check's answer, with the lines below it, in situations that its tests make up. Written by `python -m tests.core.answers`;
the same tests hold every new answer against this page, word by word, and its numbers but for rounding.
"""
_NUMBER = re.compile(r"\d+(?:[\u202f ]\d{3})*(?:\.\d+)?")


def row_of(words: str, exhibit: Exhibit) -> str:
    """One line of the table."""
    stands = exhibit.standing or ("–" if exhibit.state == "done" else exhibit.state.replace("_", " "))
    said = "<br>".join([exhibit.answer, *(f"· {line}" for line in exhibit.lines)])
    return f"| {words} | {stands} | {said.replace('|', '∣')} |"


def page_of(found: Iterable[tuple[str, list[Exhibit]]]) -> str:
    """The whole page: a table a check, in the order of the questions."""
    rows: dict[str, list[str]] = {name: [] for name in checks()}
    for words, exhibits in found:
        for exhibit in exhibits:
            rows[exhibit.check].append(row_of(words, exhibit))
    parts = [_HEAD]
    for number, question in QUESTIONS.items():
        parts.append(f"## {number} {question}\n")
        for name, check in checks().items():
            if check.question == number and rows[name]:
                parts.append(f"### {check.title}\n\n| situation | stands | answer |\n| --- | --- | --- |")
                parts.append("\n".join(rows[name]) + "\n")
    return "\n".join(parts)


def kept_rows(words: str) -> set[str]:
    """The rows of a situation as the page has them."""
    return {line for line in PAGE.read_text().splitlines() if line.startswith(f"| {words} | ")}


def is_alike(one: str, other: str) -> bool:
    """Whether two rows say the same: equal words, and numbers that differ by rounding at most."""
    if _NUMBER.sub("#", one) != _NUMBER.sub("#", other):
        return False
    pairs = zip(_NUMBER.findall(one), _NUMBER.findall(other), strict=True)
    return all(abs(_value(a) - _value(b)) <= max(0.02 * abs(_value(b)), _unit(b)) for a, b in pairs)


def _value(written: str) -> float:
    return float(re.sub(r"[\u202f ]", "", written))


def _unit(written: str) -> float:
    """Two of the last decimal: what another machine's arithmetic may round to."""
    return 2 * 10.0 ** -len(written.partition(".")[2])
