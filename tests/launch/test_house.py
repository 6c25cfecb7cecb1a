"""Houses side by side, and processes that will not end."""

import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import psutil

from brookfall.launch.house import House
from brookfall.launch.processes import Keeper

DEAF = "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print('up', flush=True); time.sleep(60)"


def test_databases_are_set_up_at_the_same_time(tmp_path: Path) -> None:
    houses = [House(tmp_path, name) for name in ("one", "two", "three")]
    try:
        # Asked for one after the other: a port is taken by whoever listens on it.
        assert len({house.settings["mariadb_port"] for house in houses}) == len(houses)
        with ThreadPoolExecutor(len(houses)) as pool:
            list(pool.map(House.start_stores, houses))
        for house in houses:
            assert {"mariadb", "redis"} <= set(house.keeper.names())
            assert (house.folder / "tmp").is_dir()
    finally:
        for house in houses:
            house.clear()
    assert not any(house.folder.exists() for house in houses)


def deaf(tmp_path: Path) -> tuple[Keeper, psutil.Process]:
    """A process that hears no request to end."""
    keeper = Keeper(tmp_path)
    keeper.start("deaf", [sys.executable, "-c", DEAF])
    keeper.wait("deaf", lambda: "up" in keeper.log("deaf").read_text())
    process = keeper.find("deaf")
    assert process is not None
    return keeper, process


def test_what_will_not_end_is_ended_when_patience_is_over(tmp_path: Path) -> None:
    keeper, process = deaf(tmp_path)
    began = time.monotonic()
    keeper.stop("deaf", patience=0.3)
    assert time.monotonic() - began < 15
    assert not process.is_running()
    assert keeper.names() == []


def test_a_house_hands_its_patience_on(tmp_path: Path) -> None:
    house = House(tmp_path, "patient")
    house.keeper.start("deaf", [sys.executable, "-c", DEAF])
    process = house.keeper.find("deaf")
    assert process is not None
    house.stop(patience=0.3)
    assert not process.is_running()
