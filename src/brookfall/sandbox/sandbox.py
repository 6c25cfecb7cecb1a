"""Asks a disposable child to read what a stranger sent, and checks what comes back."""

import logging
import os
import signal
import socket
import time
from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import Any

from prometheus_client import Counter

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import Progress, untold
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.core.judge.requirements import RequirementList
from brookfall.core.plan.plan import Plan
from brookfall.core.retest.bundle import BundleCheck
from brookfall.core.submission.package import Package
from brookfall.core.submission.schema import Submission
from brookfall.core.table.read import TableFile
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Table
from brookfall.sandbox import frames
from brookfall.sandbox.children import server
from brookfall.sandbox.limits import Limits, limits_for
from brookfall.sandbox.plain_tables import table_of

_log = logging.getLogger(__name__)

REQUIRED = "full"
"""What ``BROOKFALL_SANDBOX`` is unless it is set: reading is refused where a child can't be confined. With ``best`` it
is confined as far as the machine allows."""

_ANSWER_BYTES = 24_000_000_000
_START_SECONDS = 60.0


def read_package(sent: Mapping[str, bytes] | bytes, max_bytes: int, progress: Progress = untold) -> Package:
    """A package from its files, or from the bytes of its zip.

    Parameters
    ----------
    sent
        Path to bytes of every file; or a zip, which may unpack to ``max_bytes``.
    max_bytes
        Bytes of all files together.
    progress
        Told what is being read, and the share that is done.

    Raises
    ------
    UserError
        The package is unusable, or reading it passed a limit; says where and what to do.
    """
    if isinstance(sent, bytes):
        answer, buffers = _ask({"task": "package", "max_bytes": max_bytes}, [sent], progress, "the package")
    else:
        given = {"task": "package", "paths": list(sent)}
        answer, buffers = _ask(given, list(sent.values()), progress, "the package")
    tables = _tables_of(answer["tables"], buffers)
    unpacked = {path: bytes(data) for path, data in zip(answer["files"], buffers, strict=True)}
    files = unpacked if isinstance(sent, bytes) else dict(sent)
    rows = tables.pop("")
    return Package(files, Submission.model_validate(answer["submission"]), rows, tables, dict(answer["columns"]))


def read_file(data: bytes, file: str, how: HowRead = HowRead()) -> TableFile:  # noqa: B008 - frozen
    """The table in a file's bytes, as ``core.table.read.read_file`` reads it; UserError as there, or at a limit."""
    answer, buffers = _ask({"task": "table", "path": file, "how": how.model_dump(mode="json")}, [data], untold, file)
    table = _tables_of(answer["tables"], buffers)[""]
    return TableFile(table, HowRead.model_validate(answer["how"]), tuple(answer["sheets"]))


def read_plan_file(text: str, file: str) -> Plan:
    """The plan in a file's text; UserError says which field can't be read, or that reading passed a limit."""
    answer, _ = _ask({"task": "plan", "path": file}, [text.encode()], untold, file)
    return Plan.model_validate(answer["plan"])


def read_policy_file(text: str, file: str, checks: Sequence[str]) -> HousePolicy:
    """The house's policy in a file's text; UserError says in which line what can't be used, and what to write.

    ``checks`` are what its limits of checks may be named by.
    """
    answer, _ = _ask({"task": "policy", "path": file, "checks": list(checks)}, [text.encode()], untold, file)
    return HousePolicy.model_validate(answer["policy"])


def read_requirements_file(text: str, file: str) -> RequirementList:
    """The outside requirements in a file's text; UserError says what can't be read, or that reading passed a limit."""
    answer, _ = _ask({"task": "requirements", "path": file}, [text.encode()], untold, file)
    return RequirementList.model_validate(answer["requirements"])


def check_bundle(data: bytes, file: str, max_bytes: int) -> BundleCheck:
    """What holds of an evidence bundle and what does not; UserError where it is no zip, or reading passed a limit."""
    answer, _ = _ask({"task": "bundle", "path": file, "max_bytes": max_bytes}, [data], untold, file)
    return BundleCheck(tuple(answer["lines"]), answer["fault"])


def missing_confinement() -> list[str]:
    """What this machine does not allow a child to give up, in words; empty where all of it is."""
    link, hello = _begin(limits_for(0))
    _end(link, hello["pid"])
    return list(hello["missing"])


def _tables_of(told: dict[str, list[dict[str, Any]]], buffers: list[bytearray]) -> dict[str, Table]:
    """The tables, their buffers taken from the front."""
    found = {}
    for name, heads in told.items():
        mine, buffers[:] = buffers[: len(heads)], buffers[len(heads) :]
        found[name] = table_of(heads, mine)
    return found


def _ask(
    given: dict[str, Any], buffers: Sequence[bytes], progress: Progress, about: str
) -> tuple[dict[str, Any], list[bytearray]]:
    limits = limits_for(sum(map(len, buffers)))
    deadline = time.monotonic() + limits.seconds
    link, hello = _begin(limits)
    try:
        _refuse_unconfined(hello["missing"], about)
        frames.send(link, given, buffers)
        while True:
            answer, held = frames.receive(link, _ANSWER_BYTES, deadline)
            if "progress" not in answer:
                return _believed(answer, limits, about), held
            doing, share = answer["progress"]
            about = str(doing).removeprefix("reading ")
            progress(doing, share)
    except TimeoutError as problem:
        KILLS.labels("time").inc()
        raise UserError(f"Reading it takes more than {limits.seconds:.0f} s.", todo=_SMALLER, file=about) from problem
    except (frames.EndedError, OSError) as problem:
        raise _ended(limits, about) from problem
    finally:
        _end(link, hello["pid"])


_SMALLER = "Send a smaller or simpler file: only the cells that hold the table, as CSV or Parquet."


def _believed(answer: dict[str, Any], limits: Limits, about: str) -> dict[str, Any]:
    if refused := answer.get("refused"):
        raise UserError(
            refused["what"],
            todo=refused["todo"],
            file=refused["file"],
            column=refused["column"],
            row=refused["row"],
        )
    if "fault" in answer:
        _log.error("reading %s failed: %s", about, answer["fault"])
        raise UserError(
            "Something in it is not as such a file should be, in a way that nobody foresaw; it was logged.",
            todo="Save it again in another way, or ask the administrator.",
            file=about,
        )
    if "answer" not in answer:
        raise _ended(limits, about)
    found: dict[str, Any] = answer["answer"]
    return found


def _ended(limits: Limits, about: str) -> UserError:
    KILLS.labels("memory").inc()
    return UserError(f"Reading it takes more than {limits.memory / 1e9:.1f} GB of memory.", todo=_SMALLER, file=about)


def _refuse_unconfined(missing: list[str], about: str) -> None:
    if missing and os.environ.get("BROOKFALL_SANDBOX", REQUIRED) != "best":
        raise UserError(
            f"Files can't be read safely on this machine: {'; '.join(missing)}.",
            todo="Ask the administrator; docs/architecture.md says what BROOKFALL_SANDBOX may be.",
            file=about,
        )


KILLS = Counter("brookfall_sandbox_kills", "Children ended at a limit, by which.", ["limit"])


def _begin(limits: Limits) -> tuple[socket.socket, dict[str, Any]]:
    """A child that waits for its task, and what it says of itself."""
    for attempt in (1, 2):
        link = server.link(limits)
        link.settimeout(_START_SECONDS)
        try:
            hello, _ = frames.receive(link, 0)
        except (frames.EndedError, OSError):
            link.close()
            if attempt == 2:
                raise
        else:
            return link, hello
    raise AssertionError("unreachable")


def _end(link: socket.socket, pid: int) -> None:
    """Ends the child and whatever it started: it leads a session of its own."""
    link.close()
    with suppress(ProcessLookupError, PermissionError):
        os.killpg(pid, signal.SIGKILL)
