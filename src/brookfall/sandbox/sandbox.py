"""Asks a disposable child to read what a stranger sent, and checks what comes back."""

import time
from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

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
from brookfall.sandbox.fitted_models import ConfinedModel
from brookfall.sandbox.limits import limits_for
from brookfall.sandbox.link import KILLS, SMALLER, begin, believed, end, ended, refuse_unconfined
from brookfall.sandbox.plain_tables import table_of

_ANSWER_BYTES = 24_000_000_000


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
    declared = Submission.model_validate(answer["submission"])
    opened = None
    if declared.artifact is not None:
        opened = ConfinedModel(partial(bytes, files[declared.artifact.path]), declared.artifact)
    return Package(files, declared, rows, tables, dict(answer["columns"]), opened)


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
    link, hello = begin(limits_for(0))
    end(link, hello["pid"])
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
    link, hello = begin(limits)
    try:
        refuse_unconfined(hello["missing"], about)
        frames.send(link, given, buffers)
        while True:
            answer, held = frames.receive(link, _ANSWER_BYTES, deadline)
            if "progress" not in answer:
                return believed(answer, limits, about), held
            doing, share = answer["progress"]
            about = str(doing).removeprefix("reading ")
            progress(doing, share)
    except TimeoutError as problem:
        KILLS.labels("time").inc()
        raise UserError(f"Reading it takes more than {limits.seconds:.0f} s.", todo=SMALLER, file=about) from problem
    except (frames.EndedError, OSError) as problem:
        raise ended(limits, about) from problem
    finally:
        end(link, hello["pid"])
