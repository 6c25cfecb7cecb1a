"""Engine, sessions, migration, and the grants that make the record append-only."""

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from importlib.resources import files

from alembic import command
from alembic.config import Config as AlembicConfig
from sqlalchemy import Engine, create_engine, make_url, text
from sqlalchemy.orm import Session, sessionmaker

from brookfall.records.base import Base
from brookfall.records.config import config

APPEND_ONLY = frozenset({"record_entry"})


@cache
def engine() -> Engine:
    """The application's engine: READ COMMITTED, so that workers see each other's commits and lock little."""
    return create_engine(
        config().database_url, pool_pre_ping=True, pool_size=10, max_overflow=20, isolation_level="READ COMMITTED"
    )


@contextmanager
def transaction() -> Iterator[Session]:
    """A session that commits at the end, or leaves nothing behind when anything is raised."""
    with sessionmaker(engine(), expire_on_commit=False)() as session, session.begin():
        yield session


@contextmanager
def alone(name: str) -> Iterator[bool]:
    """Whether nobody else holds this name now, in any process; it is held until the end. At most 64 characters."""
    with engine().connect() as connection:
        got = connection.scalar(text("SELECT GET_LOCK(:name, 0)"), {"name": name}) == 1
        try:
            yield got
        finally:
            if got:
                connection.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": name})


def migrate(url: str | None = None) -> None:
    """Brings the schema up to date as the owner and grants the application's user what it may do; rerunnable.

    With a ``url`` the schema of that database alone; nothing is granted.
    """
    elsewhere, url = url is not None, url or config().owner_url
    alembic = AlembicConfig()
    alembic.set_main_option("script_location", str(files("brookfall.records") / "migrations"))
    alembic.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    command.upgrade(alembic, "head")
    if not elsewhere and config().owner_url != config().database_url:
        _grant()


def _grant() -> None:
    application = make_url(config().database_url)
    owner = create_engine(config().owner_url)
    with owner.begin() as connection:
        for table in Base.metadata.tables:
            rights = "SELECT, INSERT" if table in APPEND_ONLY else "SELECT, INSERT, UPDATE, DELETE"
            connection.execute(
                text(f"GRANT {rights} ON `{application.database}`.`{table}` TO :user@'%'"),
                {"user": application.username},
            )
    owner.dispose()
