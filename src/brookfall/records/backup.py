"""A backup is one file: all of the database at one moment, as SQL, compressed; a restore is into an empty one."""

import gzip
import json
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path
from typing import IO, cast

from sqlalchemy import URL, create_engine, inspect, make_url, select, text

from brookfall.core.foundation.errors import UserError
from brookfall.records.database import migrate
from brookfall.records.models import Base
from brookfall.records.schema_version import VERSIONS, newest_version

_HEAD = b"-- brookfall "
"""Begins the first line, which goes on with what the file says of itself as JSON."""
_END = b"-- Dump completed"
_PIECE = 1 << 20


@dataclass(frozen=True)
class BackupHead:
    """What a backup says of itself: when it was made, by which program, at which migration; in UTC."""

    made: str
    program: str
    schema: str


def back_up(database_url: str, file: Path) -> BackupHead:
    """Writes everything in the database to a file, as it was at one moment, while others go on working with it.

    Parameters
    ----------
    database_url
        The database, as somebody who may read all of it: the application is enough.
    file
        Where it goes. It is there whole or not at all.

    Raises
    ------
    UserError
        The file is there already, ``mariadb-dump`` is not installed, or it could not read everything.
    """
    url = make_url(database_url)
    if file.exists():
        raise UserError(f"{file} is there already.", todo="Nothing was written; name another file.")
    engine = create_engine(url)
    with engine.connect() as connection:
        schema = str(connection.scalar(select(VERSIONS.c.version_num)))
    engine.dispose()
    head = BackupHead(made=datetime.now(UTC).isoformat(timespec="seconds"), program=version("brookfall"), schema=schema)
    part = file.with_name(f"{file.name}.part")
    try:
        part.touch(mode=0o600)
        with gzip.open(part, "wb", compresslevel=3) as out:
            out.write(_HEAD + json.dumps(vars(head)).encode() + b"\n")
            _dump(url, cast("IO[bytes]", out))
        part.rename(file)
    except OSError as problem:
        raise UserError(f"{file} can't be written: {problem.strerror}.", todo="Nothing was kept.") from problem
    finally:
        part.unlink(missing_ok=True)
    return head


def restore(owner_url: str, file: Path, granted_to: str | None = None) -> BackupHead:
    """Puts a backup into an empty database, brings it up to date, and grants the application what it may do.

    Raises
    ------
    UserError
        The file is no backup or not whole, the database has tables, or it refused something; then it is empty again.
    """
    head = _head_of(file)
    _refuse_cut(file)
    if head.schema > newest_version():
        raise UserError(
            f"The backup is of migration {head.schema}, which this program does not know.",
            todo="Nothing was changed; restore it by the program that made it, or a newer one.",
        )
    url = make_url(owner_url)
    if _tables(url):
        raise UserError(
            f"The database {url.database} has tables.", todo="Nothing was changed; restore into an empty one."
        )
    with gzip.open(file, "rb") as source, _options(url) as options:
        fault = _fed(["mariadb", options, str(url.database)], cast("IO[bytes]", source))
    if fault is not None:
        _empty(url)
        raise UserError(f"The database refused the backup: {fault}", todo="It is empty again.")
    migrate(owner_url, granted_to=granted_to)
    return head


def _dump(url: URL, out: IO[bytes]) -> None:
    tables = [VERSIONS.name, *Base.metadata.tables]
    with _options(url) as options, tempfile.TemporaryFile() as errors:
        command = [
            "mariadb-dump", options, "--single-transaction", "--quick", "--hex-blob", "--skip-lock-tables",
            "--no-tablespaces", "--skip-triggers", "--default-character-set=utf8mb4", str(url.database), *tables,
        ]  # fmt: skip
        end = b""
        with subprocess.Popen(_found(command), stdout=subprocess.PIPE, stderr=errors) as dumping:  # noqa: S603 - our own
            assert dumping.stdout is not None
            while piece := dumping.stdout.read(_PIECE):
                out.write(piece)
                end = (end + piece)[-200:]
        if dumping.returncode or _END not in end:
            errors.seek(0)
            said = errors.read(2000).decode(errors="replace").strip()
            raise UserError(f"mariadb-dump could not read everything: {said}", todo="Nothing was kept.")


def _head_of(file: Path) -> BackupHead:
    try:
        with gzip.open(file, "rb") as source:
            line = source.readline(2000)
        if line.startswith(_HEAD):
            return BackupHead(**json.loads(line.removeprefix(_HEAD)))
    except (OSError, EOFError, ValueError, TypeError):
        pass
    raise UserError(f"{file} is no backup.", todo="Name a file that 'brookfall backup' wrote.")


def _refuse_cut(file: Path) -> None:
    """The whole file is read once before anything is restored: its checksums and its last line say if it is whole."""
    end = b""
    try:
        with gzip.open(file, "rb") as source:
            while piece := source.read(_PIECE):
                end = (end + piece)[-200:]
    except (OSError, EOFError):
        end = b""
    if _END not in end:
        raise UserError(f"{file} is damaged or not whole.", todo="Nothing was changed; take another backup.")


@contextmanager
def _options(url: URL) -> Iterator[str]:
    """Where the database is and the password, in a file for this user alone; a command line is seen by all."""
    with tempfile.NamedTemporaryFile("w", suffix=".cnf") as file:
        words = {"host": url.host, "port": url.port or 3306, "user": url.username, "password": url.password or ""}
        file.write("[client]\n" + "".join(f'{name}="{value}"\n' for name, value in words.items()))
        file.flush()
        yield f"--defaults-file={file.name}"


def _fed(command: list[str], source: IO[bytes]) -> str | None:
    """Runs a command on what the source holds; gives what it complained of, or None."""
    with tempfile.TemporaryFile() as errors:
        with subprocess.Popen(_found(command), stdin=subprocess.PIPE, stderr=errors) as running:  # noqa: S603 - our own
            assert running.stdin is not None
            with suppress(BrokenPipeError):
                shutil.copyfileobj(source, running.stdin, _PIECE)
                running.stdin.close()
        if running.returncode == 0:
            return None
        errors.seek(0)
        # It repeats the statement that failed, which may hold rows.
        said = [line for line in errors.read().decode(errors="replace").splitlines() if line.startswith("ERROR")]
        return " ".join(said) or "it gave no reason."


def _found(command: list[str]) -> list[str]:
    if shutil.which(command[0]) is None:
        raise UserError(f"{command[0]} is not installed.", todo="Install the Debian package mariadb-client.")
    return command


def _tables(url: URL) -> list[str]:
    engine = create_engine(url)
    try:
        return inspect(engine).get_table_names()
    finally:
        engine.dispose()


def _empty(url: URL) -> None:
    """Takes away what a restore that failed has left of its tables."""
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in inspect(connection).get_table_names():
            connection.execute(text(f"DROP TABLE `{table}`"))
    engine.dispose()
