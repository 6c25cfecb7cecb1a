"""Looks at an installation from end to end: what is as it should be, and what is not and how it is mended."""

import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import redis
from sqlalchemy import func, select, text
from sqlalchemy.exc import DBAPIError

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.wording import counted
from brookfall.engine.beats import KEPT_SECONDS, LINES, unserved, workers_heard
from brookfall.engine.letters import connected
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.database import transaction
from brookfall.records.letters import Letter
from brookfall.records.record_key import AnnouncedKey, record_key
from brookfall.records.schema_version import other_version, schema_version
from brookfall.sandbox.link import REQUIRED
from brookfall.sandbox.sandbox import missing_confinement

_SKEW_SECONDS = 5
_FREE_BYTES = 2 << 30
_FAILING_ATTEMPTS = 3
_PACKET_BYTES = 16 << 20
"""Chunks and readings go in statements of a few MiB at most."""


@dataclass(frozen=True)
class Found:
    """What was looked at, whether it is well, and what was found, with what to do where it is not."""

    what: str
    is_well: bool
    said: str


def examine() -> Iterator[Found]:
    """Each part of the installation in turn; nothing is changed. UserError where the configuration can't be used."""
    config()
    for what, look in _LOOKS.items():
        try:
            said, is_well = look()
        except (UserError, DBAPIError, redis.RedisError, OSError) as problem:
            first = str(problem).splitlines()[0]
            said, is_well = first[:300].rstrip("."), False
        yield Found(what, is_well, said)


def _database() -> tuple[str, bool]:
    with transaction() as session:
        other, there = other_version(session), schema_version(session)
        packet = int(session.scalar(text("SELECT @@max_allowed_packet")) or 0)
    if other is not None:
        return f"{other}: run 'brookfall migrate'", False
    if packet < _PACKET_BYTES:
        return f"max_allowed_packet is {packet} bytes: set at least {_PACKET_BYTES}", False
    return f"answers, migration {there}", True


def _clocks() -> tuple[str, bool]:
    with transaction() as session:
        theirs = session.scalar(text("SELECT UTC_TIMESTAMP()"))
    apart = abs((theirs - now()).total_seconds()) if theirs is not None else 0.0
    if apart > _SKEW_SECONDS:
        todo = "moments in the record would be wrong; set both by NTP"
        return f"this machine and the database are {apart:.0f} s apart: {todo}", False
    return "agree with the database's", True


def _rights() -> tuple[str, bool]:
    """Whether the application could change the record: it must not, whatever becomes of it."""
    with transaction() as session:
        grants = [str(row[0]) for row in session.execute(text("SHOW GRANTS"))]
    changing = ("ALL PRIVILEGES", "UPDATE", "DELETE", "DROP", "ALTER")
    whole = [g for g in grants if "record_entry" in g or ".*" in g.partition(" TO ")[0]]
    if any(word in grant.partition(" ON ")[0] for grant in whole for word in changing):
        return "the application may change the record: run 'brookfall migrate' with a user that owns nothing", False
    return "the application can add to the record and not change it", True


def _broker() -> tuple[str, bool]:
    heard = workers_heard()
    if missing := unserved(heard):
        todo = f"start one with 'brookfall work --for {','.join(missing)}'"
        return (
            f"answers, but no worker for {' or '.join(missing)} was heard of in {KEPT_SECONDS} seconds: {todo}",
            False,
        )
    return f"answers; workers heard of: {', '.join(f'{heard[line]} for {line}' for line in LINES)}", True


def _key() -> tuple[str, bool]:
    key = record_key()
    with transaction() as session:
        known = session.scalars(select(AnnouncedKey.id)).all()
    if known and key.id not in known:
        return (
            f"the record does not know the key {key.id}: start with the one it had, and announce this one by it",
            False,
        )
    return f"{key.id}, in {config().record_key_file}", True


def _anchors() -> tuple[str, bool]:
    file = config().anchor_file
    if file is None:
        return "none are kept: set BROOKFALL_ANCHOR_FILE, best on another machine", False
    if not os.access(file if file.exists() else file.parent, os.W_OK):
        return f"{file} can't be written", False
    return f"go to {file}", True


def _sandbox() -> tuple[str, bool]:
    missing = missing_confinement()
    if not missing:
        return "what strangers send is read in a child that is confined whole", True
    refused = os.environ.get("BROOKFALL_SANDBOX", REQUIRED) != "best"
    lacks = f"this machine lacks {', '.join(missing)}"
    return f"{lacks}: {'packages are refused here' if refused else 'they are read less confined'}", False


def _disk() -> tuple[str, bool]:
    folder = config().cache_dir
    there = next(one for one in (folder, *folder.absolute().parents) if one.exists())
    free = shutil.disk_usage(there).free
    if free < _FREE_BYTES:
        return f"{free / 1e9:.1f} GB free at {there}: make room, or set BROOKFALL_CACHE_DIR to another disk", False
    return f"{free / 1e9:.1f} GB free at {there}", True


def _programs() -> tuple[str, bool]:
    missing = [name for name in ("mariadb-dump", "mariadb") if shutil.which(name) is None]
    if missing:
        return f"{' and '.join(missing)} not found: install mariadb-client for backups", False
    return "mariadb-dump and mariadb are there", True


def _mail() -> tuple[str, bool]:
    server = config().mail_server
    if server is None:
        return "none is sent: BROOKFALL_MAIL_SERVER is not set", True
    with connected(server) as answering:
        answering.noop()
    with transaction() as session:
        failing = select(func.count()).where(Letter.state == "waiting", Letter.attempts >= _FAILING_ATTEMPTS)
        count = session.scalar(failing) or 0
    if count:
        todo = "the page Letters of whom they are to says why"
        return f"the server answers, but {counted(count, 'letter')} could not be sent yet: {todo}", False
    return "the server answers", True


def _cookies() -> tuple[str, bool]:
    if not config().secure_cookies:
        return "go over plain HTTP too: unset BROOKFALL_SECURE_COOKIES where others can listen", False
    return "go by TLS alone", True


_LOOKS: dict[str, Callable[[], tuple[str, bool]]] = {
    "database": _database,
    "rights": _rights,
    "clocks": _clocks,
    "broker and workers": _broker,
    "key of the record": _key,
    "anchors": _anchors,
    "sandbox": _sandbox,
    "cache": _disk,
    "backup programs": _programs,
    "mail": _mail,
    "cookies": _cookies,
}
