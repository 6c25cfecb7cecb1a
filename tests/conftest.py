"""What all tests share: packages built in memory, and one house of services of the tests' own."""

import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import yaml
from sqlalchemy import create_engine
from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.check.registry import checks_of
from brookfall.core.judge.policy import default_policy
from brookfall.core.plan.plan import Plan
from brookfall.core.resample.declared import Folds, Shares
from brookfall.core.submission.package import Package, package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from brookfall.launch.house import APPLICATION, House

PROJECT = Path(__file__).resolve().parents[1]
SOAK = int(os.environ.get("BROOKFALL_SOAK", "1"))
"""How many times more is tried than in CI: made-up inputs, requests, deaths of workers."""

collect_ignore = ["soak", "made_up_requests"]
"""Run when they are named: what takes an hour, and what leaves a database behind in which nothing is as it was."""


def rows_csv(n: int = 400, seed: int = 5) -> str:
    """A small table: two numbers with gaps, a category, two grounds, an outcome that the numbers explain."""
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=n), rng.normal(size=n)
    kind = rng.choice(["red", "green", "blue"], n)
    sex = rng.choice(["f", "m"], n)
    age = rng.choice(["young", "old"], n, p=[0.7, 0.3])
    y = rng.random(n) < 1 / (1 + np.exp(-(1.2 * x - 0.8 * z + 0.5 * (kind == "red"))))
    lines = ["id,x,z,kind,sex,age,y"]
    for i in range(n):
        gap = "" if i % 37 == 0 else f"{x[i]:.5f}"
        lines.append(f"{i},{gap},{z[i]:.5f},{kind[i]},{sex[i]},{age[i]},{'yes' if y[i] else 'no'}")
    return "\n".join(lines) + "\n"


def declaration(**changes: Any) -> dict[str, Any]:
    """A sound submission.yaml as nested values; top-level entries can be replaced."""
    sound: dict[str, object] = {
        "brookfall": 1,
        "model": {
            "name": "Sample",
            "version": "1.0",
            "tier": 3,
            "outcome": "binary",
            "purpose": "To be tested",
            "owner": "Makers",
        },
        "data": [
            {
                "name": "rows",
                "path": "data/rows.csv",
                "roles": {"target": "y", "positive": "yes", "identifier": ["id"], "protected": ["sex", "age"]},
            }
        ],
        "recipe": {"family": "logistic", "preprocess": {"scale": "standard"}, "threshold": 0.5, "seed": 3},
        "claims": [{"measure": "auc", "part": "test", "value": "0.75"}],
    }
    return {**sound, **changes}


def files_of(csv: str | bytes | None = None, **changes: Any) -> dict[str, bytes]:
    """The files of a package."""
    body = rows_csv() if csv is None else csv
    return {
        "submission.yaml": yaml.safe_dump(declaration(**changes)).encode(),
        "data/rows.csv": body if isinstance(body, bytes) else body.encode(),
    }


OF_THEIR_OWN = (
    *("luck", "challengers", "in_use", "without_leaks", "labels", "shuffled", "complexity", "learning", "preparation"),
    *("optimism", "trees", "coefficients", "assumptions", "stability"),
    *("direct_use", "proxies", "leaving_out", "group_versions", "surrogate", "surrogate_gap"),
)
"""Checks with fits by the dozen, or for some families alone; they have tests of their own."""


OF_A_ROLE = ("over_time", "not_observed")
"""Checks that say nothing where no column has the role that they read."""


def small_plan(**changes: Any) -> Plan:
    plan = Plan(
        seed=11,
        parts=Shares(training=60, validation=20, test=20),
        cross_validation=Folds(folds=4, repeats=2),
        policy=default_policy(3),
        shuffles=20,
        checks=tuple(check for check in checks_of("binary") if check not in OF_THEIR_OWN),
    )
    return Plan.model_validate({**plan.model_dump(), **changes})


@pytest.fixture(scope="session")
def package() -> Package:
    return package_from_files(files_of())


@pytest.fixture(scope="session")
def subject(package: Package) -> Subject:
    return subject_of(package)


@pytest.fixture(scope="session")
def bench(subject: Subject) -> Bench:
    return Bench(subject, small_plan())


def until(come: Callable[[], bool], seconds: float) -> bool:
    """Whether it came true within so many seconds."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if come():
            return True
        time.sleep(0.1)
    return False


@pytest.fixture(scope="session")
def stores(worker_id: str) -> Iterator[House]:
    """MariaDB and Redis of these tests' own, new, with the schema and the grants; tests side by side have theirs."""
    os.environ["BROOKFALL_LEASE_SECONDS"] = "8"  # what dead workers held is waited for
    os.environ["BROOKFALL_NICE"] = "0"  # tests run beside each other, and wait for runs
    house = House(PROJECT, f"test-{worker_id}")
    house.clear()
    house.start_stores()
    os.environ.update(house.environment)
    from brookfall.records.database import migrate

    migrate(house.owner_url, granted_to=APPLICATION)
    yield house
    house.stop(patience=3)  # a worker may be in the middle of a fit


@contextmanager
def as_owner(house: House) -> Iterator[Session]:
    """A transaction of who owns the tables: so tests put there what the application may not."""
    engine = create_engine(house.owner_url, isolation_level="READ COMMITTED")
    with Session(engine) as session, session.begin():
        yield session
    engine.dispose()


@pytest.fixture(scope="session")
def workers(stores: House) -> House:
    """Two workers beside the stores; each starts for seconds, so that no third is there for what is short."""
    stores.start_workers(2, apart=False)
    return stores


@pytest.fixture
def no_housekeeping(stores: House) -> Iterator[None]:
    """No worker looks what is due by the wall clock, while a test lives by another."""
    from brookfall.records.database import alone

    end = time.monotonic() + 30
    while time.monotonic() < end:
        with alone("housekeeping") as mine:
            if mine:
                yield
                return
        time.sleep(0.1)
    pytest.fail("a worker keeps house for longer than half a minute")
