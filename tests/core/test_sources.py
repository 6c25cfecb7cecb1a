"""What a digest of sources sees: every statement that does something, wherever it stands; no word that only explains."""

import itertools
import textwrap
from pathlib import Path

import pytest

from brookfall.core.foundation.sources import rests_on, source_digest

_NUMBER = itertools.count()

BASE = """
import math

class Scale:
    "How large."

    def times(self, x):
        "Larger."
        try:
            match x:
                case 0:
                    return 0
                case _:
                    with open("f") as file:
                        y = math.sqrt(x)
        except ValueError as problem:
            y = -1
        else:
            y = y + 1
        finally:
            done = True
        for i in range(3):
            y += i
        else:
            y += 10
        while y > 100:
            y -= 1
        return y if done else None
"""


def changed(old: str, new: str) -> str:
    assert BASE.count(old) == 1
    return source_digest(BASE.replace(old, new))


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("return 0", "return 1"),
        ("case 0", "case 1"),
        ("math.sqrt(x)", "math.sqrt(x + 1)"),
        ("ValueError", "TypeError"),
        ("y = -1", "y = -2"),
        ("y = y + 1", "y = y + 2"),
        ("done = True", "done = False"),
        ("y += i", "y += 2 * i"),
        ("y += 10", "y += 11"),
        ("y -= 1", "y -= 2"),
        ("else None", "else 0"),
        ('open("f")', 'open("g")'),
        ("import math", "import cmath as math"),
    ],
)
def test_a_change_at_any_depth_is_another_program(old: str, new: str) -> None:
    assert changed(old, new) != source_digest(BASE)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ('"How large."', '"How small."'),
        ('"Larger."', '"Larger, " "and in two pieces."'),
        ("import math", "# A word.\nimport math  # Another."),
        ("y = -1", "y  =  -1"),
        ("case 0:", "case 0:  # none"),
        ("    def times", "\n\n    def times"),
    ],
)
def test_words_and_layout_are_the_same_program(old: str, new: str) -> None:
    assert changed(old, new) == source_digest(BASE)


def test_a_string_that_is_used_is_no_docstring() -> None:
    assert source_digest('def f():\n    "Says."\n    return "a"') != source_digest(
        'def f():\n    "Says."\n    return "b"'
    )
    assert source_digest('x = "a"') != source_digest('x = "b"')


def test_a_function_of_words_alone_is_one_that_does_nothing() -> None:
    assert source_digest('def f():\n    "Says."') == source_digest("def f():\n    pass")


def imports(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, text: str) -> set[str]:
    """What a module of a package of its own rests on, there being modules a to e beside it."""
    # A name that no other test has: Python keeps the packages it has met.
    package = f"made_{next(_NUMBER)}"
    folder = tmp_path / package
    folder.mkdir()
    for name in ("__init__", *"abcde"):
        (folder / f"{name}.py").write_text("")
    (folder / "top.py").write_text(textwrap.dedent(text).replace("made_package", package))
    monkeypatch.syspath_prepend(str(tmp_path))
    return {name.removeprefix(f"{package}.") for name in rests_on(f"{package}.top")} - {package, "top"}


def test_imports_are_found_wherever_they_stand(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text = """
        from made_package import a

        def late():
            import made_package.b
            try:
                from made_package import c
            except ImportError:
                from made_package import d
            class Inner:
                from made_package.e import anything
        """
    assert imports(tmp_path, monkeypatch, text) == {"a", "b", "c", "d", "e"}


def test_what_is_there_for_type_checkers_alone_is_not_rested_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    text = """
        from typing import TYPE_CHECKING

        if TYPE_CHECKING:
            from made_package import a
        if len("x"):
            from made_package import b
        """
    assert imports(tmp_path, monkeypatch, text) == {"b"}


def test_libraries_of_others_are_not_rested_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert imports(tmp_path, monkeypatch, "import numpy\nimport json\nfrom made_package import c\n") == {"c"}
