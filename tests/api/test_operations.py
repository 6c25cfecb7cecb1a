"""What an operator's machines ask: does it live, can it serve, how much of what is there."""

import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import redis
from flask import Flask
from prometheus_client.parser import text_string_to_metric_families
from sqlalchemy import create_engine, text

from brookfall.core.foundation.errors import UserError
from brookfall.engine import beats
from brookfall.launch.house import House
from brookfall.records.config import Config, config
from brookfall.records.schema_version import newest_version
from brookfall.sandbox import frames, sandbox
from tests.api.conftest import Visitor
from tests.api.test_case import ran
from tests.conftest import files_of, until

SignIn = Callable[[str], Visitor]

TOKEN = "metrics-token-of-a-test"
SCRAPE = """
from brookfall.api.app import create_app
client = create_app().test_client()
client.get("/healthz")
print(client.get("/metrics", headers={"Authorization": "Bearer " + "metrics-token-of-a-test"}).text)
"""


@pytest.fixture
def configured(monkeypatch: pytest.MonkeyPatch) -> Callable[..., None]:
    def change(**to: object) -> None:
        changed = Config.model_validate({**config().model_dump(), **to})
        for module in ("brookfall.api.operations", "brookfall.engine.beats"):
            monkeypatch.setattr(f"{module}.config", lambda: changed)

    return change


def figures(text_of_metrics: str) -> dict[tuple[str, ...], float]:
    """Each sample by its name and the values of its labels."""
    return {
        (sample.name, *sample.labels.values()): sample.value
        for family in text_string_to_metric_families(text_of_metrics)
        for sample in family.samples
    }


def test_ready_means_database_broker_and_workers_for_all_that_is_asked(app: Flask, workers: House) -> None:
    client = app.test_client()
    assert client.get("/healthz").json == {"status": "lives"}
    end = time.monotonic() + 60
    while (answer := client.get("/readyz")).status_code != 200:
        assert time.monotonic() < end, answer.text
        time.sleep(0.5)
    told = dict(answer.json or {})
    heard = told.pop("workers")
    assert min(heard["short"], heard["runs"]) >= 1
    assert told == {"status": "ready", "database": "answers", "broker": "answers"}


def test_without_a_worker_or_a_broker_it_is_not_ready(app: Flask, configured: Callable[..., None]) -> None:
    # A database of the broker's own, where no worker was ever heard of; and a port where nobody is.
    configured(redis_url=config().redis_url.replace("/0", "/9"))
    alone = app.test_client().get("/readyz")
    assert (alone.status_code, alone.json["status"], alone.json["workers"]) == (
        503,
        "not ready",
        {"short": 0, "runs": 0},
    )
    for line in ("short", "runs"):
        beats.beat("of a test", ("short",) if line == "short" else ("runs", "short"))
        half = app.test_client().get("/readyz")
        assert half.status_code == (503 if line == "short" else 200), "nobody works on runs"
    redis.Redis.from_url(config().redis_url).flushdb()
    configured(redis_url="redis://127.0.0.1:1/0")
    gone = app.test_client().get("/readyz")
    assert (gone.status_code, gone.json["broker"], gone.json["database"]) == (503, "no answer", "answers")


def test_tables_of_another_migration_are_not_ready(app: Flask, stores: House) -> None:
    engine = create_engine(stores.owner_url)
    try:
        with engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = '0003'"))
        answer = app.test_client().get("/readyz")
        said = f"is of migration 0003; this program wants {newest_version()}"
        assert (answer.status_code, answer.json["database"]) == (503, said)
    finally:
        with engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = :v"), {"v": newest_version()})
        engine.dispose()


def test_metrics_are_for_who_has_their_token(app: Flask, configured: Callable[..., None]) -> None:
    client = app.test_client()
    assert client.get("/metrics").status_code == 404
    configured(metrics_token=TOKEN)
    assert client.get("/metrics").status_code == 401
    assert client.get("/metrics", headers={"Authorization": "Bearer wrong"}).status_code == 401
    with pytest.raises(ValueError, match="at least 16 characters"):
        configured(metrics_token="short")


def test_metrics_count_requests_runs_and_children_ended_at_a_limit(
    app: Flask, visitor: SignIn, workers: House, configured: Callable[..., None], monkeypatch: pytest.MonkeyPatch
) -> None:
    configured(metrics_token=TOKEN)

    def scraped() -> dict[tuple[str, ...], float]:
        answer = app.test_client().get("/metrics", headers={"Authorization": f"Bearer {TOKEN}"})
        assert answer.status_code == 200, answer.text
        return figures(answer.text)

    before = scraped()
    app.test_client().open("/healthz", method="MADE-UP")
    # Fits that no other test has made: what is in the ledger already is not fitted again.
    recipe = {"family": "tree", "settings": {"depth": 3}, "seed": 90210}
    base = ran(visitor, "counted", ["profile", "holdout"], files_of(claims=[], recipe=recipe))
    visitor("iris").get(base)
    receive = frames.receive

    def too_late(link: Any, at_most: int, deadline: float | None = None) -> Any:
        """A child that has not answered by the deadline of its task."""
        if deadline is not None:
            raise TimeoutError
        return receive(link, at_most)

    monkeypatch.setattr(frames, "receive", too_late)
    with pytest.raises(UserError, match=r"takes more than \d+ s"):
        sandbox.read_plan_file("seed: 1", "plan.yaml")
    after = scraped()
    for name, least in (
        (("brookfall_runs", "done"), 1),
        (("brookfall_fits", "done"), 1),
        (("brookfall_request_seconds_count", "GET", "/api/cases/<int:case_id>", "200"), 1),
        (("brookfall_request_seconds_count", "other", "none", "405"), 1),
        (("brookfall_sandbox_kills_total", "time"), 1),
    ):
        assert after[name] - before.get(name, 0) >= least, name
    # A worker is heard of at each tick of its clock; another test may have forgotten it a moment ago.
    assert until(lambda: scraped()["brookfall_workers", "runs"] >= 1, 30)
    # Nothing in it says who asked, or what for.
    assert not any("iris" in part for sample in after for part in sample)


def test_processes_of_a_machine_count_together(stores: House, tmp_path: Path) -> None:
    environment = {**os.environ, "BROOKFALL_METRICS_TOKEN": TOKEN, "PROMETHEUS_MULTIPROC_DIR": str(tmp_path)}
    for asked in (1, 2):
        done = subprocess.run(
            [sys.executable, "-c", SCRAPE], env=environment, capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stderr
        assert figures(done.stdout)[("brookfall_request_seconds_count", "GET", "/healthz", "200")] == asked


def test_a_beat_is_forgotten_when_a_worker_is_gone(stores: House) -> None:
    beats.beat("of a test", ("runs",))
    broker = redis.Redis.from_url(config().redis_url)
    assert 0 < broker.ttl("brookfall:worker:of a test") <= 30
    assert beats.workers_heard()["runs"] >= 1
    broker.delete("brookfall:worker:of a test")
