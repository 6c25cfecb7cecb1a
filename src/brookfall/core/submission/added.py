"""A table that came after the submission, put beside its rows by whoever reviews them."""

from collections.abc import Callable, Mapping
from dataclasses import replace

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError
from brookfall.core.submission.package import Package
from brookfall.core.submission.schema import Data
from brookfall.core.table.read import TableFile, read_file
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Table


class Added(Data):
    """As a package would have declared it, and the SHA-256 of its file, by which a replay knows it again."""

    sha256: str


Reader = Callable[[bytes, str, HowRead], TableFile]
"""How a file is read: here and now, or by a process that reads nothing else."""


def read_added(entry: Data, data: bytes, rows: Table, read_by: Reader = read_file) -> tuple[Added, Table]:
    """The table in a file's bytes, declared as it was read.

    UserError when it can't be read, says that it holds the rows under review, or has no key that both tables have.
    """
    if entry.kind == "rows":
        raise UserError(
            "A file added later can't hold the rows under review.",
            todo="Say that it is a sample, or later rows.",
            file=entry.path,
        )
    read = read_by(data, entry.path, entry.read)
    if entry.kind == "sample":
        read.table.column(str(entry.key), entry.path)
        rows.column(str(entry.key))
    declared = entry.model_dump() | {"read": read.how, "sha256": sha256(data)}
    return Added.model_validate(declared), read.table


def with_added(
    package: Package, added: tuple[Added, ...], files: Mapping[str, bytes], read_by: Reader = read_file
) -> Package:
    """A package with the tables that were added to it, their files known by their SHA-256 whatever they are called.

    ``read_by`` reads a file's bytes. UserError names the first file that is not there.
    """
    beside = dict(package.beside)
    by_hash = {sha256(data): data for data in files.values()}
    for entry in added:
        if entry.sha256 not in by_hash:
            raise UserError(
                "The evidence rests on this file, which a reviewer added.",
                todo="Give it with --added.",
                file=entry.path,
            )
        beside[entry.name] = read_by(by_hash[entry.sha256], entry.path, entry.read).table
    data = (*package.submission.data, *added)
    return replace(package, submission=package.submission.model_copy(update={"data": data}), beside=beside)
