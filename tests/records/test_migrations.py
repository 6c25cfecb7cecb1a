"""Databases as earlier versions left them, brought up to date: what was stored is still read, and the chain holds."""

import json
import lzma
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine, create_engine, make_url, select, text
from sqlalchemy.orm import Session

from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.schema import Submission
from brookfall.core.table.roles import Roles
from brookfall.launch.house import House
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.database import migrate
from brookfall.records.exhibits import get_exhibits
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.models import Base
from brookfall.records.renditions import Rendition
from brookfall.records.runs import Run

DUMPS = sorted((Path(__file__).parent / "dumps").glob("*.sql.xz"))
"""A dump for each migration, of the database as the last program before the next migration left it: four small cases,
one of them decided, one approved and countersigned. A JSON string a line, a statement each."""


def loaded(dump: Path, owner_url: str) -> Iterator[Engine]:
    """The dump in a database of its own, migrated; dropped in the end."""
    name = f"brookfall_dump_{dump.name.partition('.')[0]}"
    owner = create_engine(owner_url)
    with owner.begin() as connection:
        connection.execute(text(f"DROP DATABASE IF EXISTS {name}"))
        connection.execute(text(f"CREATE DATABASE {name} CHARACTER SET utf8mb4"))
    url = make_url(owner_url).set(database=name).render_as_string(hide_password=False)
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.exec_driver_sql("SET FOREIGN_KEY_CHECKS = 0")
        for line in lzma.decompress(dump.read_bytes()).decode().splitlines():
            connection.exec_driver_sql(json.loads(line).replace("%", "%%"))
    migrate(url)
    yield engine
    engine.dispose()
    with owner.begin() as connection:
        connection.execute(text(f"DROP DATABASE {name}"))
    owner.dispose()


def old_version(engine: Engine) -> str:
    """The migration of the dump that the database was made from."""
    return str(engine.url.database)[-4:]


@pytest.fixture(scope="module", params=DUMPS, ids=[dump.name.partition(".")[0] for dump in DUMPS])
def old(stores: House, request: pytest.FixtureRequest) -> Iterator[Engine]:
    yield from loaded(request.param, stores.owner_url)


def test_there_is_a_dump_for_every_migration() -> None:
    versions = Path(migrate.__code__.co_filename).parent / "migrations" / "versions"
    made = sorted(file.name[:4] for file in versions.glob("0*.py"))
    assert [dump.name[:4] for dump in DUMPS] == made[: len(DUMPS)]
    assert len(made) - len(DUMPS) <= 1, "keep a dump of the last version before adding another migration"


def test_the_schema_is_that_of_a_new_database(old: Engine, stores: House) -> None:
    def described(engine: Engine) -> dict[str, list[tuple[str, str]]]:
        query = text(
            "SELECT table_name, column_name, column_type FROM information_schema.columns WHERE table_schema = :d"
        )
        with engine.connect() as connection:
            found: dict[str, list[tuple[str, str]]] = {}
            for table, column, kind in connection.execute(query, {"d": engine.url.database}):
                found.setdefault(table, []).append((column, kind))
        return {table: sorted(columns) for table, columns in found.items() if table in Base.metadata.tables}

    new = create_engine(stores.owner_url)
    assert described(old) == described(new)
    new.dispose()


def test_cases_plans_and_exhibits_are_read(old: Engine) -> None:
    with Session(old) as session:
        cases = session.scalars(select(Case)).all()
        assert len(cases) == 4
        # One owner's cases of a name are one model's.
        of_key = {(case.registered.key, case.registered.owner_id, case.model) for case in cases}
        assert len(of_key) == len({(case.owner_id, case.model) for case in cases})
        for case in cases:
            assert case.registered.name == case.model
            Submission.model_validate(case.submission)
            Roles.model_validate(case.roles)
            assert read_plan(case.plan).checks
            # What was signed stays as it was; what is open is of the present revision.
            assert ("revision" in case.plan) == (case.state != "decided" or old_version(old) >= "0010")
        runs = session.scalars(select(Run)).all()
        exhibits = [exhibit for run in runs for exhibit in get_exhibits(session, run.id)]
        assert len(exhibits) >= 22
        assert {exhibit.state for exhibit in exhibits} <= {"done", "not_applicable"}
        assert sum(len(exhibit.estimates) for exhibit in exhibits) >= 352


def test_what_was_signed_is_as_it_was(old: Engine) -> None:
    with Session(old) as session:
        found = audit_log.verify(session)
        assert found.fault is None
        # From 0014 on a key is announced; from 0019 on a worker says that it has laid a run out.
        assert found.entries == 29 + (old_version(old) >= "0014") + 2 * (old_version(old) >= "0019")
        assert {decision.kind for decision in session.scalars(select(Decision))}
        (report,) = session.scalars(select(Rendition).where(Rendition.decision_id.is_not(None)))
        assert report.state == "done"
        for name, begins in (
            (report.pdf_sha256, b"%PDF"),
            (report.html_sha256, b"<!doctype html>"),
            (report.evidence_sha256, b'{\n "brookfall": 1'),
        ):
            assert name is not None
            assert blobs.get(session, name).startswith(begins)
        signed = session.scalars(select(Decision).where(Decision.state == "accepted")).one()
        assert report.decision_id == signed.id
        if old_version(old) < "0012":
            assert signed.statement_sha256 is None, "nothing is made up for what was signed without a statement"
