"""Engine, sessions, migration, and the grants that make the record append-only."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from importlib.resources import files

import mariadb
from sqlalchemy import Engine, ExceptionContext, create_engine, event, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from brookfall.records.base import Base
from brookfall.records.config import config

committed: ContextVar[int] = ContextVar("committed", default=0)
"""How many transactions this thread or request has committed."""


class UnknownOutcomeError(Exception):
    """A transaction may have been committed or not."""


CHANGED = frozenset(
    {
        "approval_condition", "blob", "browser_session", "case_file", "decision", "deviation", "draft", "draft_file",
        "erasure", "finding", "fit", "idempotency_key", "kept_look", "letter", "mention", "model", "note",
        "overruling", "owner_question", "password_link", "person", "policy_version", "record_head", "recovery_code",
        "rendition", "replay", "retest", "run", "run_check", "scoring", "second_factor", "signing_code", "statement",
        "stored_column", "team", "template", "token", "told_of", "trial",
    }
)  # fmt: skip
"""The tables whose rows the application changes. Whatever it enters in another stands as it was entered."""

TAKEN_AWAY = frozenset(
    {
        "blob", "blob_chunk", "browser_session", "deviation", "draft", "draft_file", "draft_piece", "estimate",
        "exhibit", "idempotency_key", "kept_counts", "kept_look", "model_member", "reading", "recovery_code",
        "rendition", "run_fit", "second_factor", "series", "team_member", "statement_file", "stored_column",
    }
)  # fmt: skip
"""The tables that the application takes rows out of."""


@cache
def engine() -> Engine:
    """The application's engine: READ COMMITTED, so that workers see each other's commits and lock little."""
    made = create_engine(
        config().database_url,
        pool_pre_ping=True,
        pool_size=10,
        max_overflow=20,
        isolation_level="READ COMMITTED",
        hide_parameters=True,  # an error goes to the log, and what was to be written does not
    )
    event.listen(made, "handle_error", _tell_lost_connections)
    return made


def _tell_lost_connections(told: ExceptionContext) -> None:
    """The connector gives a connection that was cut no number, so the pool would hand it out again."""
    problem = told.original_exception
    if isinstance(problem, mariadb.OperationalError | mariadb.InterfaceError) and not getattr(problem, "errno", None):
        told.is_disconnect = True


@cache
def _sessions() -> sessionmaker[Session]:
    return sessionmaker(engine(), expire_on_commit=False)


@contextmanager
def transaction() -> Iterator[Session]:
    """A session that commits at the end, or leaves nothing behind when anything is raised.

    Raises
    ------
    UnknownOutcomeError
        The database was gone before it said whether it had committed.
    """
    committing = False
    try:
        with _sessions()() as session, session.begin():
            yield session
            session.flush()
            committing = True
    except DBAPIError as problem:
        if committing and problem.connection_invalidated:
            raise UnknownOutcomeError(str(problem.orig)) from problem
        raise
    committed.set(committed.get() + 1)


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


def migrate(owner_url: str, granted_to: str | None = None) -> None:
    """Brings the schema up to date and grants the application what it may do; rerunnable.

    Parameters
    ----------
    owner_url
        The database, as who may create and grant. No process but that which migrates is ever told it.
    granted_to
        The application's user there; None grants nothing.
    """
    # Imported here: no process but that which migrates needs it.
    from alembic import command
    from alembic.config import Config as AlembicConfig

    alembic = AlembicConfig()
    alembic.set_main_option("script_location", str(files("brookfall.records") / "migrations"))
    alembic.set_main_option("sqlalchemy.url", owner_url.replace("%", "%%"))
    command.upgrade(alembic, "head")
    if granted_to is not None:
        _grant(owner_url, granted_to)


def _grant(owner_url: str, user: str) -> None:
    owner = create_engine(owner_url)
    with owner.begin() as connection:
        for table in Base.metadata.tables:
            place = f"`{owner.url.database}`.`{table}`"
            more = {"UPDATE": table in CHANGED, "DELETE": table in TAKEN_AWAY}
            rights = ", ".join(["SELECT", "INSERT", *(right for right, given in more.items() if given)])
            connection.execute(text(f"GRANT {rights} ON {place} TO :user@'%'"), {"user": user})
            # What an earlier program granted and this one does without.
            for right in (right for right, given in more.items() if not given):
                connection.execute(text(f"REVOKE {right} ON {place} FROM :user@'%'"), {"user": user})
        # Which migration the tables are of: a backup says so.
        connection.execute(text(f"GRANT SELECT ON `{owner.url.database}`.alembic_version TO :user@'%'"), {"user": user})
    owner.dispose()
