"""The report's fonts: those of the pages, copied at the build; ``python -m brookfall.report.fonts`` does it.

HTML and PDF carry them inside; Matplotlib, which reads no woff2, gets them as TrueType.
"""

import base64
import re
from functools import cache
from pathlib import Path

from fontTools.ttLib import TTFont

_FOLDER = Path(__file__).parent / "fonts"
_PACKAGES = Path(__file__).resolve().parents[3] / "web" / "node_modules" / "@fontsource-variable"
_FACES = {
    "Inter": ("inter", "inter-{}-wght-normal.woff2"),
    "Source Serif 4": ("source-serif-4", "source-serif-4-{}-wght-normal.woff2"),
}
_RANGES = {
    "latin": "U+0000-00FF, U+2000-206F, U+20AC, U+2122, U+2191, U+2193, U+2212",
    "latin-ext": "U+0100-024F",
    "greek": "U+0370-03FF",
}
_USED = {"latin": re.compile(""), "latin-ext": re.compile("[\u0100-\u024f]"), "greek": re.compile("[\u0370-\u03ff]")}
"""What of a text wants the characters of a subset."""


def face_css(text: str) -> str:
    """@font-face rules with the fonts inside that a text wants; empty when the build has not copied them."""
    return _rules(tuple(subset for subset, wanted in _USED.items() if wanted.search(text)))


@cache
def _rules(subsets: tuple[str, ...]) -> str:
    rules = []
    for family in _FACES:
        for subset in subsets:
            codes = _RANGES[subset]
            file = _FOLDER / f"{family}-{subset}.woff2"
            if file.is_file():
                data = base64.b64encode(file.read_bytes()).decode()
                rules.append(
                    f'@font-face {{ font-family: "{family}"; font-weight: 200 900; unicode-range: {codes}; '
                    f"src: url(data:font/woff2;base64,{data}) format('woff2') }}"
                )
    return "\n".join(rules)


def chart_fonts() -> list[Path]:
    """The TrueType files for Matplotlib."""
    return sorted(_FOLDER.glob("*.ttf"))


def copy_fonts() -> None:
    """Copies the fonts out of the front end's packages, and Inter again as TrueType."""
    _FOLDER.mkdir(exist_ok=True)
    for family, (package, pattern) in _FACES.items():
        for subset in _RANGES:
            source = _PACKAGES / package / "files" / pattern.format(subset)
            (_FOLDER / f"{family}-{subset}.woff2").write_bytes(source.read_bytes())
    font = TTFont(_FOLDER / "Inter-latin.woff2")
    font.flavor = None
    font.save(_FOLDER / "Inter.ttf")


if __name__ == "__main__":
    copy_fonts()
