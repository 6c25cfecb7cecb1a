"""Processes are known by pid and start time: nothing else is ever stopped."""

import json
import sys
from pathlib import Path

import psutil
import pytest

from brookfall.launch.house import House
from brookfall.launch.processes import Keeper, StartError

SLEEP = [sys.executable, "-c", "import time; print('up', flush=True); time.sleep(60)"]


def test_start_find_stop(tmp_path: Path) -> None:
    keeper = Keeper(tmp_path)
    keeper.start("sleeper", SLEEP)
    keeper.wait("sleeper", lambda: "up" in keeper.log("sleeper").read_text())
    process = keeper.find("sleeper")
    assert process is not None
    assert keeper.names() == ["sleeper"]
    keeper.stop("sleeper")
    assert keeper.find("sleeper") is None
    assert keeper.names() == []
    assert not process.is_running()


def test_a_killed_process_is_not_found(tmp_path: Path) -> None:
    keeper = Keeper(tmp_path)
    keeper.start("sleeper", SLEEP)
    process = keeper.find("sleeper")
    assert process is not None
    process.kill()
    process.wait()
    assert keeper.find("sleeper") is None
    keeper.stop("sleeper")
    assert keeper.names() == []


def test_another_process_with_the_same_pid_is_left_alone(tmp_path: Path) -> None:
    keeper = Keeper(tmp_path)
    me = psutil.Process()
    (tmp_path / "stranger.pid").write_text(json.dumps({"pid": me.pid, "started": me.create_time() - 100}))
    assert keeper.find("stranger") is None
    keeper.stop("stranger")
    assert me.is_running()


def test_a_process_that_ends_at_its_start_is_told_with_its_log(tmp_path: Path) -> None:
    keeper = Keeper(tmp_path)
    keeper.start("brief", [sys.executable, "-c", "raise SystemExit('no room')"])
    with pytest.raises(StartError, match=r"brief\.log"):
        keeper.wait("brief", lambda: False, patience=10)
    assert "no room" in keeper.log("brief").read_text()


def test_two_houses_of_one_project_do_not_meet(tmp_path: Path) -> None:
    one, two = House(tmp_path, "one"), House(tmp_path, "two")
    ports = [house.settings[f"{name}_port"] for house in (one, two) for name in ("mariadb", "redis", "web")]
    assert len(set(ports)) == 6
    assert House(tmp_path, "one").settings == one.settings
    assert (one.folder / "settings.json").stat().st_mode & 0o077 == 0
    assert one.environment["BROOKFALL_DATABASE_URL"] != two.environment["BROOKFALL_DATABASE_URL"]
    one.clear()
    assert not one.folder.exists()
