"""A lease lasts as long as the configuration says, and a heartbeat keeps it alive while work goes on."""

import time
from collections.abc import Iterator
from datetime import datetime, timedelta, tzinfo

import pytest
from sqlalchemy import delete, func, select, text

from brookfall.engine import heartbeat as beats
from brookfall.engine.heartbeat import heartbeat
from brookfall.launch.house import House
from brookfall.records import clock, ledger
from brookfall.records.config import config
from brookfall.records.database import transaction
from brookfall.records.ledger import lease_end
from brookfall.records.runs import Fit
from tests.conftest import as_owner


@pytest.fixture
def seconds(stores: House, monkeypatch: pytest.MonkeyPatch) -> Iterator[float]:
    """A short lease, for this test alone."""
    monkeypatch.setenv("BROOKFALL_LEASE_SECONDS", "0.4")
    config.cache_clear()
    yield 0.4
    monkeypatch.undo()
    config.cache_clear()


def test_a_lease_ends_when_the_configuration_says(seconds: float) -> None:
    with transaction() as session:
        began, end = session.execute(select(func.utc_timestamp(), lease_end())).one()
    assert end - began == timedelta(seconds=seconds)


@pytest.mark.parametrize("hours", [-1, 1])
def test_a_machine_whose_clock_is_off_takes_no_lease_from_others(
    stores: House, monkeypatch: pytest.MonkeyPatch, hours: int
) -> None:
    def a_fit(key: str) -> Fit:
        return Fit(key=key * 64, content={}, state="leased", worker="another", attempts=3, seconds=0.0, warnings=[])

    with transaction() as session:
        fit = a_fit("a")
        fit.lease_until = lease_end()
        session.add(fit)

    class Off(datetime):
        @classmethod
        def now(cls, tz: tzinfo | None = None) -> datetime:  # type: ignore[override]
            return datetime.now(tz) + timedelta(hours=hours)

    monkeypatch.setattr(clock, "datetime", Off)
    try:
        with transaction() as session:
            assert abs((clock.now() - session.scalars(select(func.utc_timestamp())).one()).total_seconds()) > 3000
            lost = a_fit("b")
            lost.lease_until = func.timestampadd(text("SECOND"), -2, func.utc_timestamp())
            session.add(lost)
        with transaction() as session:
            ledger.sweep(session)
        with transaction() as session:
            assert session.get_one(Fit, "a" * 64).state == "leased", "its worker is heard of"
            assert session.get_one(Fit, "b" * 64).state == "failed", "it ended its third worker"
    finally:
        with as_owner(stores) as session:
            session.execute(delete(Fit).where(Fit.key.in_(("a" * 64, "b" * 64))))


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
