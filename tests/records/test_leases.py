"""A lease lasts as long as the configuration says, and a heartbeat keeps it alive while work goes on."""

import time
from collections.abc import Iterator
from datetime import timedelta

import pytest

from brookfall.engine import heartbeat as beats
from brookfall.engine.heartbeat import heartbeat
from brookfall.launch.house import House
from brookfall.records.base import now
from brookfall.records.config import config
from brookfall.records.ledger import lease_end


@pytest.fixture
def seconds(stores: House, monkeypatch: pytest.MonkeyPatch) -> Iterator[float]:
    """A short lease, for this test alone."""
    monkeypatch.setenv("BROOKFALL_LEASE_SECONDS", "0.4")
    config.cache_clear()
    yield 0.4
    monkeypatch.undo()
    config.cache_clear()


def test_a_lease_ends_when_the_configuration_says(seconds: float) -> None:
    before = now()
    end = lease_end()
    assert before + timedelta(seconds=seconds) <= end <= now() + timedelta(seconds=seconds)


def test_without_a_word_it_is_twenty_seconds(stores: House, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("BROOKFALL_LEASE_SECONDS")
    config.cache_clear()
    try:
        assert config().lease_seconds == 20
    finally:
        monkeypatch.undo()
        config.cache_clear()


def test_a_heartbeat_comes_several_times_a_lease_and_ends_with_the_work(seconds: float) -> None:
    at: list[float] = []
    with heartbeat(lambda: at.append(time.monotonic())):
        time.sleep(3 * seconds)
    # Four a lease; a busy machine may lose some, but never so many that a lease would run out.
    assert len(at) >= 3
    count = len(at)
    time.sleep(2 * seconds / beats._BEATS_A_LEASE)
    assert len(at) == count


def test_short_work_needs_no_beat(seconds: float) -> None:
    at: list[float] = []
    with heartbeat(lambda: at.append(1.0)):
        pass
    assert at == []


def test_the_heart_stops_also_when_the_work_fails(seconds: float) -> None:
    at: list[float] = []

    def fails() -> None:
        with heartbeat(lambda: at.append(1.0)):
            raise ArithmeticError

    with pytest.raises(ArithmeticError):
        fails()
    time.sleep(seconds / 2)
    assert at == []
