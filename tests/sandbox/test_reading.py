"""What a child reads for us: the same as here, refused in the same words, and within its limits whatever is sent."""

import os
import signal
import socket
import threading
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.errors import UserError
from brookfall.core.plan.yaml_file import plan_to_yaml
from brookfall.core.submission.package import package_from_files
from brookfall.core.table.read import read_file as read_here
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column, Table
from brookfall.sandbox import children, frames, sandbox
from brookfall.sandbox import link as link_to
from brookfall.sandbox.limits import Limits, limits_for
from brookfall.sandbox.plain_tables import BrokenAnswerError, plain, table_of
from tests.conftest import files_of, rows_csv
from tests.core.test_package import BROKEN, zipped
from tests.sandbox.hostile import PACKAGES

MAX_BYTES = 100_000_000


def test_a_package_is_as_it_would_be_read_here() -> None:
    files = files_of()
    here, there = package_from_files(files), sandbox.read_package(files, MAX_BYTES)
    assert there.table.fingerprint == here.table.fingerprint
    assert (there.submission, there.sha256, there.columns) == (here.submission, here.sha256, here.columns)
    archive = sandbox.read_package(zipped(files), MAX_BYTES)
    assert archive.files == files
    assert archive.table.fingerprint == here.table.fingerprint


def test_tables_beside_the_rows_come_too() -> None:
    later = {"name": "later", "path": "later.csv", "kind": "new_rows"}
    entries = [{"name": "rows", "path": "data/rows.csv", "roles": {"target": "y", "positive": "yes"}}, later]
    files = {**files_of(data=entries, claims=[]), "later.csv": rows_csv(40, seed=9).encode()}
    here, there = package_from_files(files), sandbox.read_package(files, MAX_BYTES)
    assert list(there.beside) == ["later"]
    assert there.beside["later"].fingerprint == here.beside["later"].fingerprint


@pytest.mark.parametrize("name", list(BROKEN))
def test_what_is_wrong_is_said_in_the_same_words(name: str) -> None:
    with pytest.raises(UserError) as here:
        package_from_files(BROKEN[name][0])
    with pytest.raises(UserError) as there:
        sandbox.read_package(BROKEN[name][0], MAX_BYTES)
    assert str(there.value) == str(here.value)


@pytest.mark.parametrize("name", list(PACKAGES))
def test_what_asks_for_too_much_is_refused_within_its_limits(name: str) -> None:
    sent, where = PACKAGES[name]
    begun = time.monotonic()
    with pytest.raises(UserError) as caught:
        sandbox.read_package(sent, MAX_BYTES)
    assert where in str(caught.value) or caught.value.what == "This is not a zip file."
    assert caught.value.todo
    assert time.monotonic() - begun < limits_for(0).seconds + 5
    assert sandbox.read_package(files_of(), MAX_BYTES).table.n_rows == 400, "the next one is read as ever"


def test_progress_is_told_and_can_end_it() -> None:
    told: list[tuple[str, float]] = []
    sandbox.read_package(files_of(), MAX_BYTES, lambda doing, share: told.append((doing, share)))
    assert told[0] == ("reading data/rows.csv", 0)
    assert told[-1][1] >= 0.9

    class WithdrawnError(Exception):
        pass

    def withdraw(doing: str, share: float) -> None:
        raise WithdrawnError

    with pytest.raises(WithdrawnError):
        sandbox.read_package(files_of(), MAX_BYTES, withdraw)


def test_a_single_file_and_a_plan() -> None:
    data = b"a;b\n1,5;x\n2;y\n"
    there = sandbox.read_file(data, "r.csv", HowRead(missing=("y",)))
    here = read_here(data, "r.csv", HowRead(missing=("y",)))
    assert (there.how, there.sheets, there.table.fingerprint) == (here.how, here.sheets, here.table.fingerprint)
    plan = standard_plan(2, given_parts=False)
    assert sandbox.read_plan_file(plan_to_yaml(plan), "p.yaml") == plan
    with pytest.raises(UserError, match=r"p\.yaml, row 1: The YAML can't be read: tags"):
        sandbox.read_plan_file('seed: !!int "zz"', "p.yaml")


def test_reading_that_takes_too_long_is_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    sandbox.missing_confinement()
    monkeypatch.setattr(sandbox, "limits_for", lambda size: Limits(0.01, 1_500_000_000))
    with pytest.raises(UserError, match="Reading it takes more than 0 s"):
        sandbox.read_package(files_of(csv=rows_csv(20_000)), MAX_BYTES)
    monkeypatch.undo()
    assert sandbox.read_package(files_of(), MAX_BYTES).table.n_rows == 400


def test_an_answer_that_trickles_is_ended_too() -> None:
    ours, theirs = socket.socketpair()

    def trickle() -> None:
        for byte in b"\0" * 40:
            try:
                theirs.send(bytes([byte]))
            except OSError:
                return
            time.sleep(0.05)

    thread = threading.Thread(target=trickle)
    thread.start()
    begun = time.monotonic()
    with pytest.raises(TimeoutError):
        frames.receive(ours, 50, begun + 0.12)
    assert time.monotonic() - begun < 5
    ours.close()
    thread.join()
    theirs.close()


def test_a_child_that_is_killed_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    begin = link_to.begin

    def killed(limits: Limits) -> Any:
        link, hello = begin(limits)
        os.kill(hello["pid"], signal.SIGKILL)
        return link, hello

    monkeypatch.setattr(sandbox, "begin", killed)
    with pytest.raises(UserError, match="Reading it takes more than"):
        sandbox.read_package(files_of(), MAX_BYTES)


def test_the_clean_process_is_started_again_when_it_has_died() -> None:
    sandbox.missing_confinement()
    process = children.server._process
    assert process is not None
    process.kill()
    process.wait()
    assert sandbox.read_package(files_of(), MAX_BYTES).table.n_rows == 400
    assert children.server._process is not process


def test_several_are_read_at_once() -> None:
    found: list[int] = []
    files = [files_of(csv=rows_csv(100 + place)) for place in range(6)]
    threads = [
        threading.Thread(target=lambda one=one: found.append(sandbox.read_package(one, MAX_BYTES).table.n_rows))
        for one in files
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert sorted(found) == [100 + place for place in range(6)]


def test_no_child_is_left_behind() -> None:
    link, hello = link_to.begin(limits_for(0))
    own = Path(f"/proc/{hello['pid']}")
    assert own.exists()
    link_to.end(link, hello["pid"])
    deadline = time.monotonic() + 10
    while own.exists() and time.monotonic() < deadline:
        time.sleep(0.01)
    assert not own.exists()


COLUMN = Column("k", "category", np.array([0, 1, -1], "<i4"), ("a", "b"))


def answered(change: dict[str, Any], data: bytes | None = None) -> Table:
    heads, buffers = plain(Table((COLUMN,)))
    return table_of([{**heads[0], **change}], [bytearray(buffers[0] if data is None else data)])


def test_a_table_comes_back_as_it_was() -> None:
    assert answered({}).fingerprint == Table((COLUMN,)).fingerprint


@pytest.mark.parametrize(
    ("change", "data"),
    [
        ({"levels": ["a"]}, None),
        ({"levels": []}, None),
        ({}, np.array([-2, 0, 1], "<i4").tobytes()),
        ({}, b"\0\0\0"),
        ({"kind": "pickle"}, None),
        ({"surprise": 1}, None),
    ],
)
def test_an_answer_that_is_no_table_is_not_believed(change: dict[str, Any], data: bytes | None) -> None:
    with pytest.raises((BrokenAnswerError, ValueError)):
        answered(change, data)


def test_columns_that_do_not_belong_together_are_not_believed() -> None:
    heads, buffers = plain(Table((COLUMN, COLUMN)))
    with pytest.raises(BrokenAnswerError, match="belong together"):
        table_of(heads, [bytearray(one) for one in buffers])


@pytest.mark.parametrize(
    "text", [b"\0" * 8, b"\0\0\0\0\0\0\0\x02[]", b"\xff" * 8, b"\0\0\0\0\0\0\0\x0e" + b'{"sizes":[99]}', b"\0\0\0"]
)
def test_what_is_no_frame_ends_the_link(text: bytes) -> None:
    ours, theirs = socket.socketpair()
    ours.sendall(text)
    ours.close()
    with pytest.raises(frames.EndedError):
        frames.receive(theirs, 50)
    theirs.close()
