"""The trees of an exhibit: the path of one row, and a complete drawing as a file."""

from typing import TYPE_CHECKING

import numpy as np
from sqlalchemy.orm import Session

from brookfall.core.check.memory.trees import Trees
from brookfall.core.check.shared.dial_fits import tree_need
from brookfall.core.check.shared.tree_chart import path_of
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation.errors import MissingError
from brookfall.desk import people
from brookfall.desk.bench import bench_of
from brookfall.desk.docket import latest_run
from brookfall.desk.rows_behind import RowsFile, file_name
from brookfall.desk.views import PathView
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import exhibits_now
from brookfall.records.people import Person
from brookfall.records.tables import get_table

if TYPE_CHECKING:
    from brookfall.report.trees import TreeForm

_NEEDS = {"trees": lambda bench: Trees().requests(bench)[0], "complexity": tree_need}
_KINDS: "dict[TreeForm, str]" = {"svg": "image/svg+xml", "pdf": "application/pdf"}


def path_view(session: Session, person: Person, case_id: int, number: int, tree: int, row: int) -> PathView:
    """The nodes that a row (1 is the first) passes in a tree (1 is the first), and the row as it reads."""
    case = people.case_for(session, person, case_id)
    exhibit = _exhibit(session, case, number)
    if exhibit.check not in _NEEDS:
        raise MissingError(f"Exhibit {number} draws no tree.", todo="Open one that does.")
    bench = bench_of(session, case)
    need = _NEEDS[exhibit.check](bench)
    kept = ledger.load(session, [need])
    if (need.fit.key, need.reading.key) not in kept.readings:
        raise MissingError("The tree is not of the plan as it is now.", todo="Run what changed, then open it again.")
    nodes = path_of(bench, kept, need, tree - 1, row - 1)
    features = get_table(session, case.id, version=case.table_version).select(bench.subject.features)
    cells = {column.name: column.take(np.array([row - 1])).texts()[0] for column in features.columns}
    return PathView(nodes=nodes, row=cells)


def tree_drawing(session: Session, person: Person, case_id: int, number: int, tree: int, form: "TreeForm") -> RowsFile:
    """The complete tree as a file; MissingError where the exhibit has no such tree."""
    # Imported here: the library that draws takes a second to load, and no server's start waits for it.
    from brookfall.report.trees import tree_file

    case = people.case_for(session, person, case_id)
    exhibit = _exhibit(session, case, number)
    try:
        drawn = tree_file(exhibit, f"tree:{tree}", form)
    except KeyError as problem:
        raise MissingError(f"Exhibit {number} has no tree {tree}.", todo="Open one that it has.") from problem
    return RowsFile(file_name(case, f"tree {tree}", form), _KINDS[form], iter([drawn]))


def _exhibit(session: Session, case: Case, number: int) -> Exhibit:
    found = exhibits_now(session, case, latest_run(session, case.id), number)
    if not found:
        raise MissingError(f"Exhibit {number} is not there.", todo="Run the plan first.")
    return found[0]
