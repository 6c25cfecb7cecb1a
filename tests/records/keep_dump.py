"""Keeps a dump of the database as this program leaves it: ``python -m tests.records.keep_dump``.

To be run before a migration is added. Four small cases: one waiting, one in review, one approved and countersigned, one
whose run was cancelled and went on.
"""

import datetime
import decimal
import json
import lzma
import os
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, create_engine, select, text

from brookfall.launch.house import APPLICATION, House
from tests.conftest import PROJECT, files_of

DUMPS = Path(__file__).parent / "dumps"
_MIGRATIONS = PROJECT / "src/brookfall/records/migrations/versions"


class _Idle:
    """A queue that wakes nobody: this process works itself."""

    def wake(self, run_id: int) -> None:
        pass

    def count(self, case_id: int) -> None:
        pass


def make_cases() -> None:
    """The four cases, by the acts of the people of the demo."""
    from brookfall.core.plan.revisions import read_plan
    from brookfall.core.table.roles import Roles
    from brookfall.demo.seed import PASSWORD, PEOPLE
    from brookfall.desk import data, decisions, docket, findings, plan, run, submit
    from brookfall.desk.people import add_person, person_of
    from brookfall.desk.views import Condition
    from brookfall.engine.renditions import render
    from brookfall.engine.runs import work_on
    from brookfall.records.cases import Case
    from brookfall.records.database import transaction
    from brookfall.records.renditions import Rendition

    def files(version: str, **changes: Any) -> dict[str, bytes]:
        model = {"name": "Sample", "tier": 3, "outcome": "binary", "purpose": "To be tested", "owner": "Makers"}
        return files_of(model={**model, "version": version}, **changes)

    with transaction() as session:
        ids = {login: add_person(session, login, name, PASSWORD, roles).id for login, name, roles in PEOPLE}

    def submitted(files: dict[str, bytes], *, take: bool = True) -> int:
        with transaction() as session:
            case = submit.submit(session, person_of(session, ids["nell"]), files, None)
            if take:
                docket.take(session, person_of(session, ids["iris"]), case.id)
            return case.id

    submitted(files("1"), take=False)
    stale = submitted(files("stale"))
    with transaction() as session:
        case, iris = session.get_one(Case, stale), person_of(session, ids["iris"])
        changed = read_plan(case.plan).model_copy(update={"seed": 1})
        plan.set_plan(session, iris, stale, changed, case.plan_revision, _Idle())
        roles = Roles.model_validate(case.roles)
        data.set_roles(session, iris, stale, roles.model_copy(update={"ignore": ("z",)}), case.roles_revision)

    def ran(case_id: int) -> int:
        run_id = run.lock_and_run(ids["iris"], case_id, _Idle())
        while work_on(run_id, 60):
            pass
        return run_id

    whole = submitted(files("whole"))
    ran(whole)
    finding = findings.FindingText(severity=3, title="It leans", what="It leans.", cites=[10])
    proposal = decisions.Proposal(
        kind="approved_with_conditions",
        reasons="Sound.",
        conditions=[Condition(what="Watch the groups", due=datetime.date(2027, 6, 30))],
        despite="Known.",
        password=PASSWORD,
    )
    with transaction() as session:
        iris, tom = person_of(session, ids["iris"]), person_of(session, ids["tom"])
        written = findings.write(session, iris, whole, finding)
        findings.edit(session, iris, whole, written.id, finding.model_copy(update={"title": "It leans heavily"}), 1)
        for answer in (
            decisions.Answer(accept=False, comment="Which rows?", password=PASSWORD),
            decisions.Answer(accept=True, password=PASSWORD),
        ):
            read = decisions.propose(session, iris, whole, proposal).statement_sha256
            decisions.countersign(session, tom, whole, answer.model_copy(update={"statement_sha256": read}))
        waiting = list(session.scalars(select(Rendition.id)))
    for rendition_id in waiting:
        render(rendition_id)
    cancelled = submitted(files("cancelled", recipe={"family": "forest", "settings": {"trees": 50}, "seed": 21}))
    run.lock_and_run(ids["iris"], cancelled, _Idle())
    with transaction() as session:
        run.cancel(session, person_of(session, ids["iris"]), cancelled)
    ran(cancelled)


def statements_of(connection: Connection) -> list[str]:
    """The statements that make the database anew: tables first, then their rows."""
    names = [row[0] for row in connection.execute(text("SHOW TABLES"))]
    made = [connection.execute(text(f"SHOW CREATE TABLE `{name}`")).one()[1] for name in names]
    rows = []
    for name in names:
        result = connection.execute(text(f"SELECT * FROM `{name}`"))
        columns = ", ".join(f"`{column}`" for column in result.keys())  # noqa: SIM118 - a result is no mapping
        rows += [f"INSERT INTO `{name}` ({columns}) VALUES ({', '.join(map(_literal, row))})" for row in result]
    return made + rows


def _literal(value: object) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, bytes | bytearray):
        return f"0x{bytes(value).hex()}" if value else "''"
    if isinstance(value, bool | int | float | decimal.Decimal):
        return str(int(value) if isinstance(value, bool) else value)
    escaped = str(value).replace("\\", "\\\\").replace("'", "\\'").replace("\n", "\\n").replace("\r", "\\r")
    return f"'{escaped}'"


def main() -> None:
    house = House(PROJECT, "dump")
    house.clear()
    house.start_stores()
    os.environ.update(house.environment)
    try:
        from brookfall.records.database import migrate

        migrate(house.owner_url, granted_to=APPLICATION)
        make_cases()
        newest = max(file.name[:4] for file in _MIGRATIONS.glob("0*.py"))
        engine = create_engine(house.owner_url)
        with engine.connect() as connection:
            lines = [json.dumps(one) for one in statements_of(connection)]
        engine.dispose()
        target = DUMPS / f"{newest}.sql.xz"
        target.write_bytes(lzma.compress("\n".join(lines).encode(), preset=9))
        print(f"{target}: {len(lines)} statements, {target.stat().st_size} bytes")
    finally:
        house.stop()
        house.clear()


if __name__ == "__main__":
    main()
