"""Houses side by side, and processes that will not end."""

import socket
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import psutil
import pytest
import redis

from brookfall.launch import house as house_module
from brookfall.launch.house import House
from brookfall.launch.processes import Keeper, is_alive
from tests.conftest import until

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
    assert not is_alive(process)
    assert keeper.names() == []
    keeper.close()


def test_a_house_hands_its_patience_on(tmp_path: Path) -> None:
    house = House(tmp_path, "patient")
    house.keeper.start("deaf", [sys.executable, "-c", DEAF])
    process = house.keeper.find("deaf")
    assert process is not None
    house.stop(patience=0.3)
    assert not is_alive(process)


def test_no_process_is_told_who_owns_the_tables(stores: House) -> None:
    stores.start_workers(2, apart=False)
    stores.start_web()
    for name in ("worker-runs", "web"):
        process = stores.keeper.find(name)
        assert process is not None
        said = process.environ()
        assert said["BROOKFALL_DATABASE_URL"].startswith("mariadb")
        assert stores.settings["owner_password"] not in str(said)


def answers(house: House) -> bool:
    try:
        return httpx.get(f"{house.address}/readyz", timeout=1).status_code == 200
    except httpx.HTTPError:
        return False


@pytest.fixture(scope="module")
def whole(stores: House) -> House:
    stores.start_stores()
    stores.start_workers(2, apart=False)
    stores.start_web()
    assert until(lambda: answers(stores), 60)
    return stores


@pytest.mark.parametrize("name", ["web", "worker-runs", "redis", "mariadb"])
def test_a_killed_service_is_back_by_itself(whole: House, name: str) -> None:
    process = whole.keeper.find(name)
    assert process is not None
    family = [process, *process.children(recursive=True)]
    with redis.Redis.from_url(whole.environment["BROOKFALL_REDIS_URL"]) as broker:
        broker.flushdb()  # no beat of before speaks for a worker that is gone
    process.kill()
    assert until(lambda: another(whole, name, process.pid), 5)
    # Nor does a child that has outlived its master.
    assert until(lambda: not any(map(is_alive, family)), 30)
    assert until(lambda: answers(whole), 60)


def heard(house: House) -> set[bytes]:
    with redis.Redis.from_url(house.environment["BROOKFALL_REDIS_URL"]) as broker:
        return set(broker.scan_iter(match="brookfall:worker:*"))


@pytest.fixture
def two(stores: House) -> Iterator[psutil.Process]:
    """The parent of two workers, which both are there."""
    stores.start_workers(2, apart=False)
    parent = stores.keeper.find("worker-runs")
    assert parent is not None
    assert until(lambda: set(map(name_of, parent.children())) <= heard(stores) and len(parent.children()) == 2, 60)
    yield parent
    stores.start_workers(2, apart=False)  # for whoever comes after


def name_of(worker: psutil.Process) -> bytes:
    return f"brookfall:worker:{socket.gethostname()}:{worker.pid}".encode()


def test_a_killed_worker_is_back_in_seconds_and_the_other_goes_on(stores: House, two: psutil.Process) -> None:
    killed, other = two.children()
    killed.kill()
    assert until(lambda: len([one for one in two.children() if is_alive(one)]) == 2, 5)
    assert other in two.children()
    # It says that it is there at the first tick of its clock.
    assert until(lambda: set(map(name_of, two.children())) <= heard(stores), 30)


def test_workers_end_with_their_parent_and_come_back_with_the_next(stores: House, two: psutil.Process) -> None:
    family = two.children()
    two.kill()
    assert until(lambda: not any(map(is_alive, family)), 30)

    def back() -> bool:
        parent = stores.keeper.find("worker-runs")
        return parent is not None and parent.pid != two.pid and len(parent.children()) == 2

    assert until(back, 60)


def test_a_parent_that_is_told_to_end_ends_its_workers(stores: House, two: psutil.Process) -> None:
    family = two.children()
    stores.keeper.stop("worker-runs", patience=30)
    assert not any(map(is_alive, [two, *family]))


def another(house: House, name: str, before: int) -> bool:
    now = house.keeper.find(name)
    return now is not None and now.pid != before


def test_ports_are_none_that_connections_are_given(tmp_path: Path) -> None:
    lent = range(*map(int, Path("/proc/sys/net/ipv4/ip_local_port_range").read_text().split()))
    for name in range(12):
        settings = House(tmp_path, f"house-{name}").settings
        ports = [int(settings[kind]) for kind in ("mariadb_port", "redis_port", "web_port")]
        assert len(set(ports)) == 3
        assert not any(port in lent for port in ports)


def test_who_is_connected_to_himself_has_no_answer(monkeypatch: pytest.MonkeyPatch) -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    to_itself = socket.socket()
    to_itself.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    to_itself.bind(("127.0.0.1", port))
    monkeypatch.setattr(socket, "socket", lambda: to_itself)
    assert not house_module._answers(port)
