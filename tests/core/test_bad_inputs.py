"""Five hundred broken, hostile and odd packages by the command line: each is told in a sentence, or taken whole."""

import time
from pathlib import Path

import pytest
from click.testing import CliRunner

from brookfall.cli import main
from brookfall.core.foundation.errors import readable
from tests.bad_inputs import Sent, bad_inputs, in_portions
from tests.core.test_package import zipped

_MOST_SECONDS = 30.0


@pytest.mark.parametrize("names", in_portions(), ids=range(len(in_portions())))
def test_by_the_command_line(names: list[str], tmp_path: Path) -> None:
    inputs = bad_inputs()
    wrong = {name: said for name in names if (said := checked(inputs[name], tmp_path, name)) is not None}
    assert not wrong


def checked(sent: Sent, folder: Path, name: str) -> str | None:
    """What is wrong with how the command took a package; None where nothing is."""
    package = folder / "package.zip"
    package.write_bytes(sent if isinstance(sent, bytes) else zipped(sent))
    began = time.monotonic()
    done = CliRunner().invoke(main, ["check", str(package)])
    if time.monotonic() - began > _MOST_SECONDS:
        return "it took too long"
    if done.exit_code == 0:
        return None if name.startswith("?") else f"it was taken: {done.output}"
    if done.exit_code != 2:
        return f"it is a fault: {done.exception!r}"
    return what_is_amiss(done.stderr.strip())


def what_is_amiss(said: str) -> str | None:
    """What is wrong with a message: it must be sentences of a length to read, in nobody's jargon, that steer nothing."""
    if not said or len(said) > 3000:
        return f"it says {len(said)} characters"
    for jargon in (
        "Traceback",
        "Input should",
        "Field required",
        "pydantic",
        "Error(",
        "object at 0x",
        "NoneType",
        "nobody foresaw",
    ):
        if jargon in said:
            return f"it says: {said}"
    if readable(said, most=len(said)) != said:
        return f"it has control characters: {said!r}"
    return None if said.endswith((".", ":")) else f"it ends: {said[-60:]}"


def test_there_are_hundreds_and_most_are_surely_bad() -> None:
    names = list(bad_inputs())
    assert len(names) >= 500
    assert sum(not name.startswith("?") for name in names) >= 90


def test_a_terminal_is_not_steered_by_what_a_file_is_called() -> None:
    assert readable("a\x1b[2Jb\x00c") == "a\\x1b[2Jb\\x00c"
    assert readable("naïve – 30 µg") == "naïve – 30 µg"
    assert len(readable("x" * 10**6)) < 1100
