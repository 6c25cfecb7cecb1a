"""Processes are kept up: what is killed comes back, and nothing else is ever stopped."""

import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
import pytest

from brookfall.launch.house import House
from brookfall.launch.processes import Keeper, StartError, is_alive
from tests.conftest import until

SLEEP = [sys.executable, "-c", "import time; print('up', flush=True); time.sleep(60)"]


@pytest.fixture
def keeper(tmp_path: Path) -> Iterator[Keeper]:
    made = Keeper(tmp_path)
    yield made
    made.close()


def found(keeper: Keeper, name: str) -> psutil.Process:
    process = keeper.find(name)
    assert process is not None
    return process


def test_start_find_stop(keeper: Keeper) -> None:
    keeper.start("sleeper", SLEEP, {"BROOKFALL_WORD": "50 % of 'it', said twice"})
    keeper.wait("sleeper", lambda: "up" in keeper.log("sleeper").read_text())
    process = found(keeper, "sleeper")
    assert process.environ()["BROOKFALL_WORD"] == "50 % of 'it', said twice"
    assert process.cmdline() == SLEEP
    assert keeper.names() == ["sleeper"]
    keeper.stop("sleeper")
    assert keeper.find("sleeper") is None
    assert keeper.names() == []
    assert not is_alive(process)


def test_a_process_has_the_environment_of_who_starts_it(keeper: Keeper, monkeypatch: pytest.MonkeyPatch) -> None:
    keeper.start("first", SLEEP)
    monkeypatch.setenv("SET_SINCE", "then")
    monkeypatch.setenv("OF_LINES", "one\ntwo")
    keeper.start("sleeper", SLEEP)
    keeper.wait("sleeper", lambda: "up" in keeper.log("sleeper").read_text())
    said = found(keeper, "sleeper").environ()
    assert said["SET_SINCE"] == "then"
    assert "OF_LINES" not in said
    assert said["SUPERVISOR_PROCESS_NAME"] == "sleeper"


def test_what_is_killed_comes_back(keeper: Keeper) -> None:
    keeper.start("sleeper", SLEEP)
    first = found(keeper, "sleeper")
    first.kill()
    assert until(lambda: (now := keeper.find("sleeper")) is not None and now.pid != first.pid, 5)
    keeper.stop("sleeper")
    time.sleep(1)
    assert keeper.find("sleeper") is None
    assert keeper.names() == []


def test_what_a_killed_supervisor_left_is_ended_and_comes_back_with_it(keeper: Keeper) -> None:
    keeper.start("sleeper", SLEEP)
    assert until(lambda: "up" in keeper.log("sleeper").read_text(), 5)
    orphan = found(keeper, "sleeper")
    # Of the same command, and nobody's of this folder.
    stranger = subprocess.Popen(SLEEP, stdout=subprocess.DEVNULL)
    try:
        supervisor = orphan.parent()
        assert supervisor is not None
        supervisor.kill()
        assert until(lambda: not is_alive(supervisor), 5)
        assert [process.pid for process in keeper.orphans()] == [orphan.pid]
        assert keeper.bring_up()
        assert not is_alive(orphan)
        assert until(lambda: keeper.find("sleeper") is not None, 5)
        assert not keeper.bring_up()
        assert list(keeper.orphans()) == []
        assert stranger.poll() is None
    finally:
        stranger.kill()
        stranger.wait()


def test_closing_after_a_killed_supervisor_leaves_nothing(keeper: Keeper) -> None:
    keeper.start("sleeper", SLEEP)
    assert until(lambda: "up" in keeper.log("sleeper").read_text(), 5)
    orphan = found(keeper, "sleeper")
    supervisor = orphan.parent()
    assert supervisor is not None
    supervisor.kill()
    assert until(lambda: not is_alive(supervisor), 5)
    keeper.stop("sleeper")
    keeper.close()
    assert not is_alive(orphan)
    assert keeper.names() == []


def test_a_program_that_is_started_with_other_words_is_started_anew(keeper: Keeper) -> None:
    keeper.start("sleeper", SLEEP)
    first = found(keeper, "sleeper")
    keeper.start("sleeper", SLEEP)
    assert found(keeper, "sleeper").pid == first.pid
    keeper.start("sleeper", SLEEP, {"BROOKFALL_WORD": "another"})
    # Until it has become the program, a process has the supervisor's own environment.
    assert until(lambda: found(keeper, "sleeper").environ().get("BROOKFALL_WORD") == "another", 5)
    assert not is_alive(first)


def test_a_process_that_ends_at_its_start_is_told_with_its_log(keeper: Keeper) -> None:
    keeper.start("brief", [sys.executable, "-c", "raise SystemExit('no room')"])
    with pytest.raises(StartError, match=r"brief\.log"):
        keeper.wait("brief", lambda: False, patience=10)
    assert "no room" in keeper.log("brief").read_text()


def test_a_command_that_is_not_installed_is_named(keeper: Keeper) -> None:
    with pytest.raises(StartError, match="no-such-server is not installed"):
        keeper.start("absent", ["no-such-server"])


def test_two_houses_of_one_project_do_not_meet(tmp_path: Path) -> None:
    one, two = House(tmp_path, "one"), House(tmp_path, "two")
    ports = [house.settings[f"{name}_port"] for house in (one, two) for name in ("mariadb", "redis", "web")]
    assert len(set(ports)) == 6
    assert House(tmp_path, "one").settings == one.settings
    assert (one.folder / "settings.json").stat().st_mode & 0o077 == 0
    assert one.environment["BROOKFALL_DATABASE_URL"] != two.environment["BROOKFALL_DATABASE_URL"]
    one.clear()
    assert not one.folder.exists()
