"""A package opened and found usable: its declaration, its table, its roles, all agreeing with each other."""

from dataclasses import dataclass, field
from functools import cached_property
from math import isfinite
from pathlib import Path

import yaml
from pydantic import ValidationError

from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import Progress, untold, within
from brookfall.core.foundation.sizes import DEFAULT_MAX_BYTES
from brookfall.core.foundation.strict_yaml import StrictLoader, load_yaml
from brookfall.core.foundation.validation import first_problem
from brookfall.core.measure.registry import named, names_for
from brookfall.core.recipe.families import check_recipe, refuse_threshold
from brookfall.core.recipe.fitted_model import FittedModelFile, Opener, input_name
from brookfall.core.resample.part_names import part_name
from brookfall.core.resample.parts import given_parts
from brookfall.core.submission.files import files_of_folder, files_of_zip, package_hash
from brookfall.core.submission.predictions import read_supplied
from brookfall.core.submission.schema import Submission
from brookfall.core.submission.tables import Tables, read_tables
from brookfall.core.table.occasions import choices_of
from brookfall.core.table.roles import check_roles, target_of, times_of, weights_of
from brookfall.core.table.table import Table

DECLARATION = "submission.yaml"


@dataclass(frozen=True)
class Package:
    """The files by path, what they declare, the rows under review, and the tables that stand beside them.

    ``submission`` is as it was read: how every file was read is written down in it. ``columns`` are the descriptions
    that came with the data; ``opened`` opens the fitted model, None where it is not run.
    """

    files: dict[str, bytes]
    submission: Submission
    table: Table
    beside: dict[str, Table] = field(default_factory=dict)
    columns: dict[str, str] = field(default_factory=dict)
    opened: Opener | None = None

    @property
    def artifact(self) -> FittedModelFile | None:
        """The fitted model, if one came."""
        declared = self.submission.artifact
        if declared is None:
            return None
        return FittedModelFile(declared.path, digest.sha256(self.files[declared.path]), declared.graph, self.opened)

    @cached_property
    def sha256(self) -> str:
        return package_hash(self.files)

    @property
    def data_path(self) -> str:
        return self.submission.data[0].path


def open_package(path: Path, max_bytes: int = DEFAULT_MAX_BYTES) -> Package:
    """The package in a folder or zip on disk; UserError when it is unusable."""
    if path.is_dir():
        return package_from_files(files_of_folder(path, max_bytes))
    if not path.is_file():
        raise UserError("There is no such file or folder.", todo="Check the path.", file=str(path))
    return package_from_files(files_of_zip(path.read_bytes(), max_bytes))


def package_from_files(files: dict[str, bytes], progress: Progress = untold) -> Package:
    """Reads and cross-checks a package; UserError names file, column and row of the first thing wrong.

    >>> lines = ["brookfall: 1", "model: {name: M, version: 1, tier: 3, outcome: binary, purpose: p, owner: o}"]
    >>> lines += ["data: [{name: d, path: d.csv, roles: {target: y}}]", "recipe: {family: logistic}"]
    >>> yaml = chr(10).join(lines).encode()
    >>> csv = "x,y 1,yes 2,no".replace(" ", chr(10)).encode()
    >>> package_from_files({"submission.yaml": yaml, "d.csv": csv}).table.n_rows
    2
    """
    if DECLARATION not in files:
        raise UserError("The package has no submission.yaml.", todo="Add one at its top.", file=DECLARATION)
    submission = read_declaration(files[DECLARATION])
    _refuse_absent_files(submission, files)
    submission = _with_graph(submission, files)
    read = read_tables(submission, files, within(progress, 0, 0.9))
    progress("checking that everything agrees", 0.9)
    submission, table = read.submission, read.rows
    data = submission.data[0]
    _refuse_unjoinable(submission, read)
    check_roles(data.roles, table, data.path, refits=submission.refits)
    weights_of(table, data.roles, data.path)
    times_of(table, data.roles, data.path)
    _refuse_claims_of_another_outcome(submission)
    _refuse_impossible_claims(submission)
    if data.roles.target:
        _check_target(submission, files, table)
    for name in submission.changeable:
        if name not in table:
            raise UserError(
                "changeable names a column that the data do not have.",
                todo=f"Columns are: {', '.join(table.names)}.",
                file=DECLARATION,
                column=name,
            )
    if submission.recipe is not None:
        check_recipe(submission.recipe, submission.model.outcome, DECLARATION)
    _refuse_claims_on_absent_parts(submission, table)
    _refuse_other_inputs(submission, table)
    return Package(files, submission, table, read.beside, read.columns)


def read_declaration(text: bytes) -> Submission:
    """submission.yaml as types; every scalar is read as text first, so 0.80 keeps its decimals and yes stays yes.

    >>> lines = ["brookfall: 1", "model: {name: M, version: 1, tier: 3, outcome: binary, purpose: p, owner: o}"]
    >>> lines += ["data: [{name: d, path: d.csv, roles: {target: y}}]", "recipe: {family: logistic}"]
    >>> yaml = chr(10).join(lines).encode()
    >>> read_declaration(yaml).model.tier
    3
    """
    return declaration_from(load_yaml(text, DECLARATION, "Mend it, and save it as UTF-8 text.", _AsWritten))


def declaration_from(declared: object) -> Submission:
    """A checked Submission from nested text; UserError naming the first wrong entry by its path."""
    try:
        return Submission.model_validate(declared)
    except ValidationError as problem:
        place, message = first_problem(problem)
        more = problem.error_count() - 1
        raise UserError(
            f"{place or 'the whole file'}: {message}."
            + ("" if not more else " One more follows." if more == 1 else f" {more} more follow."),
            todo="See docs/formats for the names and kinds allowed.",
            file=DECLARATION,
        ) from problem


class _AsWritten(StrictLoader):
    """Resolves nothing but null: every other scalar stays the text that was written."""


_AsWritten.yaml_implicit_resolvers = {
    first: [(tag, pattern) for tag, pattern in resolvers if tag == "tag:yaml.org,2002:null"]
    for first, resolvers in yaml.SafeLoader.yaml_implicit_resolvers.items()
}


def _refuse_absent_files(submission: Submission, files: dict[str, bytes]) -> None:
    named = [data.path for data in submission.data] + [scores.path for scores in submission.predictions]
    if submission.artifact:
        named.append(submission.artifact.path)
    for path in named:
        if path not in files:
            raise UserError(
                "submission.yaml names a file that the package does not have.",
                todo=f"Add it; the package has {', '.join(sorted(files))}.",
                file=path,
            )


def _with_graph(submission: Submission, files: dict[str, bytes]) -> Submission:
    """With what the fitted model is made of. It comes as ONNX: other forms run code of whoever made them as soon as
    they are read."""
    if submission.artifact is None:
        return submission
    path = submission.artifact.path
    if not path.lower().endswith(".onnx"):
        raise UserError("A fitted model is kept as ONNX alone.", todo="Write it as .onnx, or leave it out.", file=path)
    if not files[path]:
        raise UserError("The file is empty.", todo="Send the fitted model, or leave it out.", file=path)
    # Loaded where a fitted model came, as it takes longer than to read most packages.
    from brookfall.core.recipe.onnx_graph import graph_of

    graph = graph_of(files[path], path)
    return submission.model_copy(update={"artifact": submission.artifact.model_copy(update={"graph": graph})})


def _refuse_other_inputs(submission: Submission, table: Table) -> None:
    """UserError where the fitted model takes a column that the data don't have."""
    declared = submission.artifact
    if declared is None or declared.graph is None:
        return
    inputs, known = [one.name for one in declared.graph.inputs], {input_name(name) for name in table.names}
    absent = [name for name in inputs if name not in known]
    if absent and len(inputs) > 1:
        more = f" (and {len(absent) - 1} more)" if len(absent) > 1 else ""
        raise UserError(
            f"The fitted model has an input '{absent[0]}'{more}, and the data have no column of that name.",
            todo="Name its inputs as the columns are, slashes and spaces as _, or give it one tensor of all features.",
            file=declared.path,
        )


def _refuse_unjoinable(submission: Submission, read: Tables) -> None:
    for entry in submission.data:
        if entry.kind == "sample":
            for table, file in ((read.rows, submission.data[0].path), (read.beside[entry.name], entry.path)):
                table.column(str(entry.key), file)


def _check_target(submission: Submission, files: dict[str, bytes], table: Table) -> None:
    """What can only be said of a target that is named; another may be chosen later."""
    data, outcome = submission.data[0], submission.model.outcome
    target = target_of(table, data.roles, outcome, data.path)
    if outcome == "choice":
        choices_of(table, data.roles, data.path)
    read_supplied(submission, files, table, data.roles, target)
    for claim in submission.claims:
        if claim.class_ is not None and claim.class_ not in target.classes:
            raise UserError(
                f"The claim on {claim.measure} names the class '{claim.class_}' and no row has it.",
                todo=f"Classes in the data are {', '.join(target.classes) or 'none'}.",
                file=DECLARATION,
            )


def _refuse_claims_of_another_outcome(submission: Submission) -> None:
    names = names_for(submission.model.outcome)
    for claim in submission.claims:
        if claim.measure not in names:
            raise UserError(
                f"A claim names '{claim.measure}', which a {submission.model.outcome} outcome does not have.",
                todo=f"Measures are {', '.join(names)}.",
                file=DECLARATION,
            )


def _refuse_impossible_claims(submission: Submission) -> None:
    for claim in submission.claims:
        if submission.recipe is not None and not submission.predictions:
            refuse_threshold(claim.threshold, submission.model.outcome, "A claim's threshold", DECLARATION)
        value, one = float(claim.value), named(claim.measure)
        if isfinite(value) and one.can_be(value):
            continue
        low, high = one.range
        ends = [f"at least {low:g}" if low is not None else "", f"at most {high:g}" if high is not None else ""]
        between = wording.listed([end for end in ends if end]) or "a finite number"
        share = f" A percentage is written as a share, {value / 100:g}." if 1 < value <= 100 and high == 1 else ""
        raise UserError(
            f"A claim says that {one.words} is {claim.value}, which it can't be.",
            todo=f"It is {between}.{share}",
            file=DECLARATION,
        )


def _refuse_claims_on_absent_parts(submission: Submission, table: Table) -> None:
    roles = submission.data[0].roles
    if roles.part is None:
        return
    supplied = {part_name(scores.part) for scores in submission.predictions if scores.part}
    parts = set(given_parts(table, roles.part)) | {"all"} | supplied
    for claim in submission.claims:
        if claim.part is not None and claim.part not in parts:
            raise UserError(
                f"The claim on {claim.measure} names the part '{claim.part}' and no row has it.",
                todo=f"Parts in the data are {', '.join(sorted(parts - {'all'}))}.",
                file=submission.data[0].path,
                column=roles.part,
            )
