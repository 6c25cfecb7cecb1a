"""What an operator's machines ask: whether this process lives, whether it can serve, and how much of what there is."""

import hmac
import os
import time
from collections import Counter
from collections.abc import Iterator

import redis
from flask import Blueprint, Flask, Response, abort, g, jsonify, request
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Histogram, generate_latest
from prometheus_client.core import REGISTRY, GaugeMetricFamily
from prometheus_client.metrics_core import Metric
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.registry import Collector
from sqlalchemy import func, select
from sqlalchemy.exc import DBAPIError

from brookfall.engine.beats import LINES, unserved, workers_heard
from brookfall.records.config import config
from brookfall.records.database import transaction
from brookfall.records.drafts import Draft
from brookfall.records.renditions import Rendition
from brookfall.records.retests import Retest
from brookfall.records.runs import Fit, Replay, Run
from brookfall.records.schema_version import other_version
from brookfall.records.scorings import Scoring

METRICS = "/metrics"

_REQUESTS = Histogram(
    "brookfall_request_seconds",
    "Requests by method, rule and status.",
    ["method", "rule", "status"],
    buckets=(0.01, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30),
)
_METHODS = frozenset({"GET", "HEAD", "OPTIONS", "POST", "PUT", "DELETE", "PATCH"})
_STATES: dict[str, type[Run | Fit | Draft | Replay | Retest | Rendition | Scoring]] = {
    "runs": Run,
    "fits": Fit,
    "drafts": Draft,
    "replays": Replay,
    "retests": Retest,
    "renditions": Rendition,
    "scorings": Scoring,
}


def serve_operations(app: Flask) -> None:
    """``/healthz``, ``/readyz`` and, where a token for it is configured, ``/metrics``; and times every request."""
    pages = Blueprint("operations", __name__)

    @pages.get("/healthz")
    def _lives() -> Response:
        return jsonify(status="lives")

    @pages.get("/readyz")
    def _ready() -> tuple[Response, int]:
        database, broker, heard = _database(), "answers", Counter[str]()
        try:
            heard = workers_heard()
        except redis.RedisError:
            broker = "no answer"
        ready = database == broker == "answers" and not unserved(heard)
        told = {"database": database, "broker": broker, "workers": {line: heard[line] for line in LINES}}
        return jsonify(status="ready" if ready else "not ready", **told), 200 if ready else 503

    @pages.get(METRICS)
    def _metrics() -> Response:
        wanted = config().metrics_token
        if wanted is None:
            abort(404)
        given = request.headers.get("Authorization", "").removeprefix("Bearer ")
        if not hmac.compare_digest(given.encode(), wanted.encode()):
            abort(401, "This takes the token of BROOKFALL_METRICS_TOKEN.")
        return Response(generate_latest(_registry()), content_type=CONTENT_TYPE_LATEST)

    app.register_blueprint(pages)

    @app.before_request
    def _begin() -> None:
        g.began = time.perf_counter()

    @app.after_request
    def _timed(response: Response) -> Response:
        rule = request.url_rule.rule if request.url_rule else "none"
        seconds = time.perf_counter() - g.get("began", time.perf_counter())
        # A stranger may make up methods, each of which would be a series of its own.
        method = request.method if request.method in _METHODS else "other"
        _REQUESTS.labels(method, rule, response.status_code).observe(seconds)
        return response


def _database() -> str:
    try:
        with transaction() as session:
            return other_version(session) or "answers"
    except DBAPIError:
        return "no answer"


class _Counts(Collector):
    """How much work of each kind stands in which state, and how many workers are there."""

    def describe(self) -> list[Metric]:
        """Nothing: it would ask the database before anybody asks for figures."""
        return []

    def collect(self) -> Iterator[GaugeMetricFamily]:
        with transaction() as session:
            for name, model in _STATES.items():
                gauge = GaugeMetricFamily(f"brookfall_{name}", f"{name.capitalize()} by state.", labels=["state"])
                for state, count in session.execute(select(model.state, func.count()).group_by(model.state)):
                    gauge.add_metric([state], count)
                yield gauge
        workers = GaugeMetricFamily(
            "brookfall_workers", "Workers heard of lately, by what they work on.", labels=["line"]
        )
        try:
            heard = workers_heard()
        except redis.RedisError:
            heard = Counter({line: float("nan") for line in LINES})
        for line in LINES:
            workers.add_metric([line], heard[line])
        yield workers


def _registry() -> CollectorRegistry:
    """Of all processes of this machine where they share a folder (PROMETHEUS_MULTIPROC_DIR), else of this one."""
    registry = CollectorRegistry()
    registry.register(_Counts())
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    else:
        registry.register(REGISTRY)
    return registry
