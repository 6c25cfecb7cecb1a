"""What goes into the database comes out bit for bit; leases are lost and taken; damage is noticed."""

import json
import os
from collections.abc import Iterator
from datetime import timedelta
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest
from alembic.operations import Operations
from alembic.runtime.migration import MigrationContext
from click.testing import CliRunner
from sqlalchemy import create_engine, select, text, update
from sqlalchemy.orm import Session

from brookfall.cli import main
from brookfall.core.check.bench import Bench
from brookfall.core.fit.execute import FitResult, execute
from brookfall.core.fit.ledger import FitFailedError
from brookfall.core.retest.order import order_of
from brookfall.core.retest.run import ask, evaluate, jobs_of, retest
from brookfall.demo.seed import seed
from brookfall.desk import docket, people, submit
from brookfall.engine.runs import Laid, _claim_check
from brookfall.launch.house import APPLICATION, House
from brookfall.records import blobs, ledger
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.database import migrate, transaction
from brookfall.records.exhibits import get_exhibits, put_exhibit
from brookfall.records.people import Person
from brookfall.records.runs import Fit, Run, RunCheck, RunFit
from brookfall.records.tables import get_table
from tests.conftest import files_of, small_plan

VERSIONS = iter(range(1000))


@pytest.fixture
def session(stores: House) -> Iterator[Session]:
    """A session whose work is thrown away; of who owns the tables, as some of it is damage."""
    seed()
    owner = create_engine(stores.owner_url, isolation_level="READ COMMITTED")
    with Session(owner) as opened:
        yield opened
        opened.rollback()
    owner.dispose()


@pytest.fixture
def run(session: Session, bench: Bench) -> Run:
    nell = session.scalars(select(Person).where(Person.login == "nell")).one()
    model = {
        "name": "Stored",
        "version": str(next(VERSIONS)),
        "tier": 3,
        "outcome": "binary",
        "purpose": "p",
        "owner": "o",
    }
    case = submit.submit(session, nell, files_of(model=model))
    made = Run(case_id=case.id, state="running", by_id=nell.id, started=now())
    session.add(made)
    session.flush()
    asked = ask(bench)
    jobs = jobs_of(asked)
    seconds = {job.fit.key: float(len(job.fit.train)) for job in jobs}
    ledger.enrol(session, made.id, jobs, {key: seconds[key] for key in order_of(asked, seconds)})
    session.flush()
    return made


def test_migration_can_be_repeated(stores: House) -> None:
    for _ in range(2):
        migrate(stores.owner_url, granted_to=APPLICATION)
    with create_engine(stores.owner_url).connect() as connection:
        assert connection.execute(text("SELECT version_num FROM alembic_version")).scalar() == max(
            file.name[:4]
            for file in (Path(migrate.__code__.co_filename).parent / "migrations" / "versions").glob("0*.py")
        )


def test_matrices_kept_before_are_rewritten(session: Session, run: Run, bench: Bench) -> None:
    second = import_module("brookfall.records.migrations.versions.0002_confusion_matrices_of_any_size")
    old = {"kind": "matrix", "title": "M", "tn": 1, "fp": 2, "fn": 3, "tp": 4, "positive": "yes"}
    (exhibit,) = retest(Bench(bench.subject, small_plan(checks=["profile"])))
    put_exhibit(session, run.case_id, run.id, exhibit)
    session.flush()
    session.execute(text("UPDATE exhibit SET charts = :charts"), {"charts": json.dumps([old])})
    with Operations.context(MigrationContext.configure(session.connection())):
        second.upgrade()
        second.upgrade()
    session.expire_all()
    (kept,) = get_exhibits(session, run.id)
    (chart,) = kept.charts
    assert chart.kind == "matrix"
    assert (chart.classes, chart.cells) == (("not yes", "yes"), ((1, 2), (3, 4)))


@pytest.mark.parametrize("shape", [(0,), (7,), (5, 3), (4, 2, 3)])
def test_readings_of_any_shape_come_back_bit_for_bit(shape: tuple[int, ...]) -> None:
    values = np.random.default_rng(1).normal(size=shape)
    back = ledger.unpacked(ledger.packed(values))
    assert back.shape == shape
    assert back.tobytes() == values.tobytes()


@pytest.mark.parametrize("size", [0, 1, blobs.CHUNK, blobs.CHUNK + 1, 3 * blobs.CHUNK + 17])
def test_bytes_come_back_whole(session: Session, size: int) -> None:
    data = np.random.default_rng(size).bytes(size)
    name = blobs.put(session, data)
    assert blobs.put(session, data) == name
    session.flush()
    assert blobs.get(session, name) == data
    assert blobs.get(session, name) == data  # from the cache


def test_damage_is_noticed_in_the_cache_and_in_the_database(session: Session) -> None:
    name = blobs.put(session, b"some rows of some table")
    cached = config().cache_dir / name[:2] / name
    blobs.get(session, name)
    cached.write_bytes(b"some rows of another one")
    assert blobs.get(session, name) == b"some rows of some table"
    cached.unlink()
    session.execute(text("UPDATE blob_chunk SET data = 'x' WHERE sha256 = :name"), {"name": name})
    with pytest.raises(blobs.DamagedError):
        blobs.get(session, name)


def test_a_table_keeps_its_fingerprint(session: Session, run: Run, bench: Bench) -> None:
    table = get_table(session, run.case_id)
    assert table.fingerprint == bench.subject.table.fingerprint
    assert get_table(session, run.case_id, {"x", "y"}).names == ("x", "y")


def test_exhibits_come_back_bit_for_bit(session: Session, run: Run, bench: Bench) -> None:
    made = retest(bench)
    for exhibit in made:
        put_exhibit(session, run.case_id, run.id, exhibit)
    session.flush()
    put_exhibit(session, run.case_id, run.id, made[0])  # evaluated twice leaves one
    session.flush()
    session.expire_all()
    assert tuple(get_exhibits(session, run.id)) == made
    (one,) = get_exhibits(session, run.id, number=10)
    assert one == made[9]


def result_of(key: str, bench: Bench) -> FitResult:
    job = next(job for job in jobs_of(ask(bench)) if job.fit.key == key)
    readings = {reading.key: np.linspace(0, 1, len(reading.rows)) for reading in job.readings}
    return FitResult(key, readings, 0.5)


def test_fits_are_leased_in_their_order(session: Session, run: Run) -> None:
    places = select(RunFit.fit_key).where(RunFit.run_id == run.id).order_by(RunFit.place)
    wanted = list(session.scalars(places))
    assert wanted != sorted(wanted), "an order that is not that of the keys"
    counts = (1, 1, 1, 4, 1, 4, 100)
    leased = [ledger.claim(session, run.id, f"worker {turn}", count) for turn, count in enumerate(counts)]
    assert [key for keys in leased for key in keys] == wanted


def test_an_exhibit_waits_for_no_reading_but_its_own(session: Session, run: Run, bench: Bench) -> None:
    laid = Laid(bench, {name: number for number, name in enumerate(bench.plan.checks, start=1)})
    asked = {one.check.name: one for one in laid.asked.values()}
    for name in ("holdout", "influence"):
        fits = sorted({need.fit.key for need in asked[name].needs})
        session.add(
            RunCheck(run_id=run.id, number=asked[name].number, name=name, state="waiting", fits=fits, attempts=0)
        )
    (key,) = {need.fit.key for need in asked["holdout"].needs} & {need.fit.key for need in asked["influence"].needs}
    assert key in ledger.claim(session, run.id, "one", 100)
    first: list[FitResult] = []
    whole = execute(laid.jobs[key], bench.subject, first.append)
    assert _claim_check(session, run.id, laid) is None
    ledger.keep_first(session, first[0])
    claimed = _claim_check(session, run.id, laid)
    assert claimed is not None
    assert claimed.name == "holdout"
    written = evaluate(asked["holdout"], bench, ledger.load(session, asked["holdout"].needs))
    assert (written.state, written.provenance.seconds > 0) == ("done", True)
    assert _claim_check(session, run.id, laid) is None, "how much each feature matters is not read yet"
    ledger.settle(session, whole)
    claimed = _claim_check(session, run.id, laid)
    assert claimed is not None
    assert claimed.name == "influence"


def test_fits_are_leased_once_and_settled_once(session: Session, run: Run, bench: Bench) -> None:
    needed = ledger.tally(session, run.id).needed
    assert needed == 31
    first = ledger.claim(session, run.id, "one", 4)
    second = ledger.claim(session, run.id, "two", 100)
    assert len(first) == 4
    assert len(second) == 27
    assert not set(first) & set(second)
    for key in first:
        ledger.settle(session, result_of(key, bench))
        ledger.settle(session, result_of(key, bench))
    session.flush()
    counted = ledger.tally(session, run.id)
    assert (counted.done, counted.seconds) == (4, pytest.approx(2.0))
    assert ledger.unfinished(session, run.id) == set(second)


def test_a_lost_lease_is_put_back_and_three_deaths_are_a_failure(session: Session, run: Run) -> None:
    for attempt in range(1, ledger.MOST_ATTEMPTS + 1):
        claimed = ledger.claim(session, run.id, f"worker {attempt}", 1)
        assert len(claimed) == 1
        session.execute(
            update(Fit).where(Fit.key.in_(claimed)).values(attempts=attempt, lease_until=now() - timedelta(seconds=1))
        )
        ledger.sweep(session)
        session.expire_all()
        fit = session.get_one(Fit, claimed[0])
        assert fit.state == ("failed" if attempt == ledger.MOST_ATTEMPTS else "waiting")
    assert fit.failure is not None
    assert "3 times" in fit.failure


def test_a_heartbeat_keeps_the_lease_of_its_own_worker(session: Session, run: Run) -> None:
    (key,) = ledger.claim(session, run.id, "mine", 1)
    past = now() - timedelta(seconds=5)
    session.execute(update(Fit).where(Fit.key == key).values(lease_until=past))
    ledger.renew(session, [key], "somebody else")
    session.expire_all()
    assert session.get_one(Fit, key).lease_until == past
    ledger.renew(session, [key], "mine")
    session.expire_all()
    assert (session.get_one(Fit, key).lease_until or past) > now()


def test_a_check_that_lost_its_lease_waits_again(session: Session, run: Run) -> None:
    check = RunCheck(
        run_id=run.id,
        number=1,
        name="gap",
        fits=[],
        state="leased",
        attempts=1,
        lease_until=now() - timedelta(seconds=1),
    )
    session.add(check)
    session.flush()
    ledger.sweep(session)
    session.expire_all()
    assert check.state == "waiting"


def test_a_stored_failure_reaches_the_exhibit(session: Session, run: Run, bench: Bench) -> None:
    for key in ledger.claim(session, run.id, "one", 100):
        ledger.settle(session, FitResult(key, {}, 0.1, failure="it did not converge"))
    session.flush()
    asked = next(one for one in ask(bench) if one.check.name == "gap")
    kept = ledger.load(session, asked.needs)
    with pytest.raises(FitFailedError, match="converge"):
        kept.scores(asked.needs[0])
    exhibit = evaluate(asked, bench, kept)
    assert exhibit.state == "failed"
    assert "it did not converge" in exhibit.answer


def test_the_docket_says_how_far_each_case_is(session: Session, run: Run) -> None:
    from brookfall.records.cases import Case

    case = session.get_one(Case, run.case_id)
    assert docket.step_of(case, None, has_findings=False) == 1
    case.state = "in_review"
    assert docket.step_of(case, None, has_findings=False) == 2
    case.plan_locked = now()
    assert docket.step_of(case, run, has_findings=False) == 3
    run.state = "done"
    assert docket.step_of(case, run, has_findings=False) == 4
    assert docket.step_of(case, run, has_findings=True) == 5
    case.state = "decided"
    assert docket.step_of(case, run, has_findings=True) == 6


def test_nothing_is_left_of_a_transaction_that_fails(stores: House) -> None:
    seed()

    def break_off() -> None:
        with transaction() as session:
            people.add_person(session, "half", "Half Made", "long-enough-word", ("owner",))
            raise RuntimeError("the power went")

    with pytest.raises(RuntimeError):
        break_off()
    with transaction() as session:
        assert session.scalar(select(Person).where(Person.login == "half")) is None


def test_the_command_that_migrates_is_told_the_owner_and_no_other(
    stores: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert "BROOKFALL_OWNER_DATABASE_URL" not in os.environ
    untold = CliRunner().invoke(main, ["migrate"])
    assert untold.exit_code == 2
    assert "--owner-url" in untold.output
    monkeypatch.setenv("BROOKFALL_OWNER_DATABASE_URL", stores.owner_url)
    done = CliRunner().invoke(main, ["migrate"])
    assert done.exit_code == 0, done.output
    assert done.output.endswith("The database is up to date.\n")
