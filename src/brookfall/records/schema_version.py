"""Which migration the tables are of, and which this program was written for."""

from importlib.resources import files

from sqlalchemy import column, select, table
from sqlalchemy.orm import Session

VERSIONS = table("alembic_version", column("version_num"))


def schema_version(session: Session) -> str:
    """The migration that the tables are of."""
    return str(session.scalar(select(VERSIONS.c.version_num)))


def other_version(session: Session) -> str | None:
    """What is said where the tables are not of this program's migration; None where they are."""
    there, wanted = schema_version(session), newest_version()
    return None if there == wanted else f"is of migration {there}; this program wants {wanted}"


def newest_version() -> str:
    """The newest migration of this program."""
    folder = files("brookfall.records") / "migrations" / "versions"
    return max(file.name[:4] for file in folder.iterdir() if file.name.endswith(".py"))
