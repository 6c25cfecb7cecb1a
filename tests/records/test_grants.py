"""What the application may do to each table: no more than it does."""

import re

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.exc import DBAPIError

from brookfall.launch.house import APPLICATION, House
from brookfall.records.database import CHANGED, TAKEN_AWAY, engine, migrate
from brookfall.records.models import Base


def granted() -> dict[str, set[str]]:
    """The rights of the application's user, by table."""
    with engine().connect() as connection:
        lines = [str(row[0]) for row in connection.execute(text("SHOW GRANTS"))]
    found = {}
    for line in lines:
        told = re.match(r"GRANT (.+) ON `brookfall`\.`(\w+)` TO", line)
        if told:
            found[told[2]] = set(told[1].split(", "))
    return found


def test_each_table_grants_what_is_done_to_it(stores: House) -> None:
    found = granted()
    assert found.pop("alembic_version") == {"SELECT"}
    assert found == {
        table: {"SELECT", "INSERT"}
        | ({"UPDATE"} if table in CHANGED else set())
        | ({"DELETE"} if table in TAKEN_AWAY else set())
        for table in Base.metadata.tables
    }
    assert set(Base.metadata.tables) >= CHANGED | TAKEN_AWAY


def test_what_was_granted_before_is_taken_back(stores: House) -> None:
    owner = create_engine(stores.owner_url)
    with owner.begin() as connection:
        for table in ("record_entry", "decision", "submitted_file"):
            connection.execute(text(f"GRANT UPDATE, DELETE ON brookfall.{table} TO {APPLICATION}@'%'"))
    owner.dispose()
    migrate(stores.owner_url, granted_to=APPLICATION)
    found = granted()
    assert found["record_entry"] == found["submitted_file"] == {"SELECT", "INSERT"}
    assert found["decision"] == {"SELECT", "INSERT", "UPDATE"}


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE record_entry SET who = 'x'",
        "DELETE FROM record_entry",
        "UPDATE announced_key SET public = 'x'",
        "DELETE FROM security_event",
        "DELETE FROM decision",
        "DELETE FROM finding",
        "DELETE FROM case_file",
        "DELETE FROM erasure",
        "UPDATE submitted_file SET path = 'x'",
        "DELETE FROM submitted_file",
        "UPDATE blob_chunk SET data = ''",
        "UPDATE exhibit SET standing = 'within'",
        "UPDATE estimate SET value = 0",
        "UPDATE reading SET data = ''",
        "DROP TABLE note",
        "CREATE TABLE another (id INT)",
    ],
)
def test_what_the_application_never_does_is_denied(stores: House, statement: str) -> None:
    with pytest.raises(DBAPIError, match="denied"), engine().begin() as connection:
        connection.execute(text(statement))
