"""By what the drawn charts of an exhibit are known: what they show, and the program that draws them."""

from functools import cache
from importlib.metadata import version
from importlib.resources import files

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation import digest
from brookfall.report.writing import PLAIN, Writing

_DRAW = ("charts.py", "drawing.py", "fonts.py", "groups.py", "marks.py", "trees.py", "writing.py")


def drawing_key(exhibit: Exhibit, writing: Writing = PLAIN) -> str:
    """SHA-256 of what the charts are drawn from: equal keys, equal charts. The exhibit's number is no part of it."""
    shown = exhibit.model_dump(mode="json", by_alias=True, include={"charts", "estimates", "series", "title"})
    return digest.of_json([_program(), writing.language, shown])


@cache
def _program() -> str:
    """The modules that draw, the package whose words they use, and the library that draws for them."""
    sources = {name: (files("brookfall.report") / name).read_text(encoding="utf-8") for name in _DRAW}
    return digest.of_json([sources, version("brookfall"), version("matplotlib")])
