"""What a child can't do: see what its parent knows, reach files or the network, or grow."""

import subprocess
import sys
from pathlib import Path

import pytest

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import untold
from brookfall.sandbox import children, sandbox
from brookfall.sandbox import link as link_to
from brookfall.sandbox.limits import limits_for
from tests.conftest import PROJECT, files_of
from tests.sandbox.looking_server import ATTEMPTS

CONFINED = """
import os, socket, sys
from brookfall.sandbox.confinement import bound, confine
from brookfall.sandbox.limits import Limits
bound(Limits(20, 300_000_000))
assert confine() == [], confine()
try:
    {act}
except {error} as problem:
    print("refused", problem)
else:
    print("done")
"""


def confined(act: str, error: str = "OSError") -> str:
    code = CONFINED.format(act=act, error=error)
    done = subprocess.run([sys.executable, "-c", code], check=False, capture_output=True, text=True, timeout=60)
    return done.stdout + done.stderr + f" exit {done.returncode}"


@pytest.fixture(autouse=True)
def _whole() -> None:
    assert sandbox.missing_confinement() == [], "these tests need namespaces and Landlock"


@pytest.mark.parametrize(
    "act",
    [
        "open('/etc/passwd')",
        "os.listdir('/root')",
        "os.listdir('/')",
        "open('/proc/1/environ')",
        "open('/tmp/x', 'w')",
        "os.mkdir('/tmp/brookfall-child')",
        "socket.create_connection(('127.0.0.1', 22), timeout=2)",
        "socket.create_connection(('192.0.2.1', 80), timeout=2)",
        "os.execv('/bin/sh', ['sh', '-c', 'true'])",
        "os.kill(os.getppid(), 0)",
    ],
)
def test_files_network_and_others_are_out_of_reach(act: str) -> None:
    assert "refused" in confined(act)


def test_a_child_of_the_clean_process_reaches_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    """Started as ever, but for a task that tries."""
    children.server._forget()
    monkeypatch.setenv("PYTHONPATH", str(PROJECT))
    monkeypatch.setattr(children, "_COMMAND", [*children._COMMAND[:-1], "tests.sandbox.looking_server"])
    try:
        found, _ = sandbox._ask({"task": "look"}, [], untold, "nothing")
    finally:
        children.server._forget()
    assert set(found) == set(ATTEMPTS)
    assert {name: told for name, told in found.items() if not told.startswith("refused")} == {}


def test_libraries_can_still_be_loaded() -> None:
    assert "done" in confined("__import__('fractions')")


def test_memory_ends() -> None:
    assert "refused" in confined("bytearray(400_000_000)", "MemoryError")
    assert "done" in confined("bytearray(100_000_000)", "MemoryError")


def test_a_child_knows_nothing_of_its_parents_environment(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("BROOKFALL_SECRET_KEY", "do not tell")
    children.server._forget()
    link, hello = link_to.begin(limits_for(0))
    process = children.server._process
    assert process is not None
    own = Path(f"/proc/{process.pid}")
    names = {line.partition("=")[0] for line in (own / "environ").read_text(encoding="utf-8").split("\0") if line}
    open_files = list((own / "fd").iterdir())
    link_to.end(link, hello["pid"])
    assert not any(name.startswith("BROOKFALL") for name in names)
    assert names <= {"PATH", "LANG", "PYTHONPATH", "PYTHONHASHSEED", "ARROW_DEFAULT_MEMORY_POOL"} | {
        f"{library}_NUM_THREADS" for library in ("OMP", "OPENBLAS", "MKL")
    }
    assert len(open_files) < 12, open_files


def test_where_a_child_can_not_be_confined_nothing_is_read(monkeypatch: pytest.MonkeyPatch) -> None:
    begin = link_to.begin

    def unconfined(limits: object) -> object:
        link, hello = begin(limits_for(0))
        return link, {**hello, "missing": ["the kernel has no Landlock"]}

    monkeypatch.setattr(sandbox, "begin", unconfined)
    monkeypatch.delenv("BROOKFALL_SANDBOX", raising=False)
    with pytest.raises(UserError, match="can't be read safely on this machine: the kernel has no Landlock"):
        sandbox.read_package(files_of(), 10_000_000)
    monkeypatch.setenv("BROOKFALL_SANDBOX", "best")
    assert sandbox.read_package(files_of(), 10_000_000).table.n_rows == 400
