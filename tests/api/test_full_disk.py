"""A disk without room: it is told, nothing is lost or half there, and all goes on when there is room again."""

import errno
import json
import logging
import os
import subprocess
import sys
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from brookfall.launch.house import House
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.runs import Fit
from tests.conftest import PROJECT, as_owner

_DISKS = {"house": "300m", "cache": "1500k", "small": "64k"}


@pytest.fixture(scope="module")
def found(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """What came of a house whose disks were filled, each a disk in memory that only the house's own processes see."""
    folder = tmp_path_factory.mktemp("disks")
    mounted = []
    for name, size in _DISKS.items():
        (folder / name).mkdir()
        mounted.append(f"mount -t tmpfs -o size={size} tmpfs {folder / name}")
    script = " && ".join([*mounted, f"exec {sys.executable} -m tests.api.on_a_small_disk {folder}"])
    kept = {name: value for name, value in os.environ.items() if not name.startswith(("BROOKFALL_", "PYTEST_"))}
    done = subprocess.run(
        ["unshare", "--map-root-user", "--mount", "sh", "-c", script],
        cwd=PROJECT,
        env={**kept, "LOGNAME": "root"},
        capture_output=True,
        text=True,
        timeout=300,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-3000:]
    return dict(json.loads(done.stdout.splitlines()[-1]))


def test_a_cache_makes_room_for_what_is_read(found: dict[str, Any]) -> None:
    assert found["cache"]["turns"] == [200] * 8, "four tables in turn, of which the cache holds two"


def test_a_full_disk_is_told_and_nothing_half_is_left_on_it(found: dict[str, Any]) -> None:
    status, detail, todo = found["cache"]["full"]
    assert (status, detail) == (503, "A disk of the server is full.")
    assert todo == "Tell the administrator, who must make room. Nothing was saved; try again in a moment."
    assert found["cache"]["left"] == []
    assert found["cache"]["again"] == 200


def test_what_was_told_as_kept_is_kept_and_nothing_else(found: dict[str, Any]) -> None:
    database = found["database"]
    kept = {version for version, (status, _, _) in database["answers"].items() if status == 200}
    refused = {version: said for version, said in database["answers"].items() if version not in kept}
    assert refused, "the disk was full"
    for status, detail, todo in refused.values():
        assert status == 503
        assert detail in ("The database did not answer.", "The disk of the database is full.")
        assert "Nothing was saved" in todo
    assert database["back"], "room is all that it wants"
    assert database["after"][0] == 200
    assert set(database["there"]) == kept | {f"before {number}" for number in range(4)} | {"after"}
    assert found["verified"]["fault"] is None


def test_a_file_that_does_not_fit_is_not_there_at_all(found: dict[str, Any]) -> None:
    files = found["files"]
    assert files["anchor"] in (os.strerror(errno.ENOSPC), "no room for the whole line")
    assert files["anchors_readable"]
    for command in ("retest", "backup"):
        code, said = files[command]
        assert code == 2, said
        assert "can't be written: No space left on device. Nothing was kept." in said
    assert files["left"] == ["anchors.jsonl"]


def test_a_disk_that_is_full_costs_no_fit_an_attempt(stores: House, monkeypatch: pytest.MonkeyPatch) -> None:
    from brookfall.engine import runs

    def full(_: int) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    # Of no run, so that no worker beside this test makes them.
    keys = [f"{number:064x}" for number in (7, 8)]
    with transaction() as session:
        for key in keys:
            leased = {
                "state": "leased",
                "worker": "this test",
                "attempts": 2,
                "lease_until": now() + timedelta(hours=1),
            }
            session.add(Fit(key=key, content={}, seconds=0.0, warnings=[], **leased))
    monkeypatch.setattr(runs, "lay_out", full)
    monkeypatch.setattr("brookfall.records.ledger.claim", lambda *_: keys)
    with pytest.raises(OSError, match="No space left"):
        runs._make_fits(0, "this test", len(keys))
    with as_owner(stores) as session:
        for key in keys:
            fit = session.get_one(Fit, key)
            assert (fit.state, fit.attempts, fit.worker) == ("waiting", 1, None)
            session.delete(fit)


def test_one_chore_that_fails_keeps_the_clock_from_no_other(caplog: pytest.LogCaptureFixture, stores: House) -> None:
    from brookfall.engine.app import tick

    done: list[str] = []

    def fails() -> None:
        raise OSError(errno.ENOSPC, "full")

    with caplog.at_level(logging.ERROR):
        tick([lambda: done.append("first"), fails, lambda: done.append("last")])
    assert done == ["first", "last"]
    assert "the clock missed a beat" in caplog.text


def test_the_same_file_is_written_whole_over_an_old_one(tmp_path: Path) -> None:
    from brookfall.cli import _write

    file = tmp_path / "evidence.json"
    for text in ("old and long", "new"):
        _write(file, text.encode())
        assert file.read_text() == text
    assert [path.name for path in tmp_path.iterdir()] == ["evidence.json"]
    _write(Path("/dev/null"), b"to a device")
    assert Path("/dev/null").is_char_device()
