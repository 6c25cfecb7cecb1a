"""What a child can be asked. Each task is given a header and buffers, and gives both back; all of it is plain.

One child is asked once, but for a fitted model: that is opened by one task and asked about rows by others.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np

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
from brookfall.core.table.table import Column, Table, kept_dtype
from brookfall.sandbox.frames import Buffer
from brookfall.sandbox.plain_tables import plain

if TYPE_CHECKING:
    from brookfall.core.recipe.onnx_model import OnnxModel

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


_opened: dict[str, "OnnxModel"] = {}


def fitted_model(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:
    """A fitted model, opened to be asked about rows with the features given."""
    # Loaded by those children alone that run one.
    from brookfall.core.recipe.onnx_model import OnnxModel

    progress(f"reading {given['path']}", 0)
    features = [
        Column(one["name"], one["kind"], np.empty(0, kept_dtype(one["kind"])), tuple(one["levels"]))
        for one in given["features"]
    ]
    data = bytes(buffers.pop())
    _opened["model"] = OnnxModel(data, given["path"], features, given["outcome"], given["classes"], given["named"])
    return {}, []


def scores(given: Given, buffers: list[bytearray], progress: Progress) -> Answer:  # noqa: ARG001 - asked too often
    """What the opened model says of raw rows, given and answered as little-endian float64 and a shape."""
    found = _opened["model"].scores(np.frombuffer(buffers[0], "<f8").reshape(given["shape"]))
    return {"shape": list(found.shape)}, [np.ascontiguousarray(found, "<f8").data.cast("B")]


TASKS: dict[str, Callable[[Given, list[bytearray], Progress], Answer]] = {
    "package": package,
    "table": table,
    "plan": plan,
    "policy": policy,
    "requirements": requirements,
    "bundle": bundle,
    "fitted_model": fitted_model,
    "scores": scores,
}


def _tables(tables: dict[str, Table]) -> Answer:
    told, held = {}, []
    for name, one in tables.items():
        told[name], buffers = plain(one)
        held += buffers
    return told, held
