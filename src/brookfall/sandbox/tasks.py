"""What a child can be asked. Each task is given a header and buffers, and gives both back; all of it is plain."""

from collections.abc import Callable
from typing import Any

from brookfall.core.foundation.progress import Progress
from brookfall.core.judge.house_policy import house_from_yaml
from brookfall.core.judge.requirements import requirements_from_yaml
from brookfall.core.plan.yaml_file import plan_from_yaml
from brookfall.core.retest.bundle import check_bundle
from brookfall.core.submission.files import files_of_zip
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.core.table.read import read_file
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Table
from brookfall.sandbox.frames import Buffer
from brookfall.sandbox.plain_tables import plain

Given = dict[str, Any]
Answer = tuple[dict[str, Any], list[Buffer]]


def package(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """A package read and checked as a whole, from its files or, with ``max_bytes``, from its zip."""
    if "max_bytes" in given:
        files = files_of_zip(bytes(buffers[0]), given["max_bytes"])
        unpacked = sorted(files)
    else:
        files = {path: bytes(data) for path, data in zip(given["paths"], buffers, strict=True)}
        unpacked = []
    opened = package_from_files(files, progress)
    if opened.submission.data[0].roles.target:
        subject_of(opened)
    tables: dict[str, Table] = {"": opened.table, **opened.beside}
    told, held = _tables(tables)
    answer = {
        "submission": opened.submission.model_dump(mode="json"),
        "columns": opened.columns,
        "tables": told,
        "files": unpacked,
    }
    return answer, [*held, *(files[path] for path in unpacked)]


def table(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """One data file."""
    progress(f"reading {given['path']}", 0)
    read = read_file(bytes(buffers[0]), given["path"], HowRead.model_validate(given["how"]))
    told, held = _tables({"": read.table})
    return {"tables": told, "how": read.how.model_dump(mode="json"), "sheets": list(read.sheets)}, held


def plan(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """A plan's file."""
    progress(f"reading {given['path']}", 0)
    read = plan_from_yaml(bytes(buffers[0]).decode(), given["path"])
    return {"plan": read.model_dump(mode="json")}, []


def requirements(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """Outside requirements in a file."""
    progress(f"reading {given['path']}", 0)
    read = requirements_from_yaml(bytes(buffers[0]).decode(), given["path"])
    return {"requirements": read.model_dump(mode="json")}, []


def policy(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """A house's policy in a file."""
    progress(f"reading {given['path']}", 0)
    read = house_from_yaml(bytes(buffers[0]).decode(), given["path"], given["checks"])
    return {"policy": read.model_dump(mode="json")}, []


def bundle(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """An evidence bundle: what was looked at in it, and what does not hold."""
    progress(f"reading {given['path']}", 0)
    told = check_bundle(files_of_zip(bytes(buffers[0]), given["max_bytes"]))
    return {"lines": list(told.lines), "fault": told.fault}, []


TASKS: dict[str, Callable[[Given, list[bytearray], Progress], Answer]] = {
    "package": package,
    "table": table,
    "plan": plan,
    "policy": policy,
    "requirements": requirements,
    "bundle": bundle,
}


def _tables(tables: dict[str, Table]) -> Answer:
    told, held = {}, []
    for name, one in tables.items():
        told[name], buffers = plain(one)
        held += buffers
    return told, held
