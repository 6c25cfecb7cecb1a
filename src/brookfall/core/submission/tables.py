"""The tables of a submission: all rows under review, and files that stand beside them."""

from collections.abc import Mapping
from dataclasses import dataclass

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import Progress, untold
from brookfall.core.submission.datapackage import described
from brookfall.core.submission.schema import Data, Submission
from brookfall.core.table.append_rows import constant, stack
from brookfall.core.table.read import TableFile, read_file
from brookfall.core.table.table import Table

PART = "part"
"""The column that is added where the parts come as files of their own."""


@dataclass(frozen=True)
class Tables:
    """The rows under review; files of later rows and of samples by name; and the submission as it was read.

    ``submission`` says for every file how it was read, and names the part column that was added. ``columns`` are the
    descriptions that came with the data.
    """

    rows: Table
    beside: dict[str, Table]
    submission: Submission
    columns: dict[str, str]


def read_tables(declared: Submission, files: Mapping[str, bytes], progress: Progress = untold) -> Tables:
    """Reads every data file. UserError names file, column and row of the first thing wrong."""
    words: dict[str, str] = {}
    read: dict[str, TableFile] = {}
    sizes = [len(files[entry.path]) for entry in declared.data]
    for place, entry in enumerate(declared.data):
        progress(f"reading {entry.path}", sum(sizes[:place]) / sum(sizes) if any(sizes) else 0)
        said = described(files, entry.path)
        words.update(said.columns)
        read[entry.path] = read_file(files[entry.path], entry.path, entry.read.over(said.how))
    entries = [entry.model_copy(update={"read": read[entry.path].how}) for entry in declared.data]
    rows = [entry for entry in entries if entry.kind == "rows"]
    table = stack([(entry.path, read[entry.path].table) for entry in rows])
    first = rows[0]
    if any(entry.part for entry in rows):
        table = _with_parts(table, rows, read)
        named = first.model_copy(update={"roles": first.roles.model_copy(update={"part": PART})})
        entries[0] = named
    beside = {entry.name: read[entry.path].table for entry in entries if entry.kind != "rows"}
    return Tables(table, beside, declared.model_copy(update={"data": tuple(entries)}), words)


def _with_parts(table: Table, rows: list[Data], read: Mapping[str, TableFile]) -> Table:
    for entry in rows:
        if entry.part is None:
            raise UserError(
                "Other files of rows say which part they are, this one does not.",
                todo="Name its part, or none's.",
                file=entry.path,
            )
    if PART in table or rows[0].roles.part is not None:
        raise UserError(
            "The parts come as files of their own and as a column too.",
            todo="Leave one of them out.",
            file=rows[0].path,
            column=rows[0].roles.part or PART,
        )
    named = constant(PART, [(str(entry.part), read[entry.path].table.n_rows) for entry in rows])
    return Table((*table.columns, named))
