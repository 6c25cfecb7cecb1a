"""Trees drawn for the report: as many rows as nodes, conditions in words, cut where asked."""

import re

import pytest

from brookfall.core.evidence.chart import TreeChart, TreeColumn
from brookfall.report.trees import condition, rows_of, top_of
from brookfall.report.writing import PLAIN

COLUMNS: dict[str, list[float | None]] = {
    "left": [1.0, 3.0, -1.0, -1.0, -1.0],
    "right": [2.0, 4.0, -1.0, -1.0, -1.0],
    "column": [0.0, 1.0, -1.0, -1.0, -1.0],
    "threshold": [2.5, 0.5, None, None, None],
    "strength": [0.3, 0.1, 0.0, 0.0, 0.0],
    "training": [10.0, 6.0, 4.0, 3.0, 3.0],
    "unseen": [5.0, 3.0, 2.0, 3.0, 0.0],
    "answer": [0.0, 0.0, 1.0, 0.0, 1.0],
    **{name: [0.5, 0.3, 0.8, 0.0, 0.6] for name in ("share", "low", "high")},
    **{name: [0.4, 0.3, 0.5, 0.3, None] for name in ("unseen_share", "unseen_low", "unseen_high")},
    **{name: [0.01, 0.02, None, None, None] for name in ("gain", "unseen_gain")},
}
NUMBER = TreeColumn(words="pressure", feature="pressure", kind="number")
LEVEL = TreeColumn(words="district = north", feature="district", kind="level", mark="protected")
CHART = TreeChart(title="The tree", trees=("tree:1",), columns=(NUMBER, LEVEL), outcome="yes", classes=("no", "yes"))


def test_every_node_has_a_row_with_what_leads_to_it() -> None:
    rows = rows_of(CHART, COLUMNS)
    assert [(row.node, row.depth, row.words) for row in rows] == [
        (0, 0, "all rows"),
        (1, 1, "pressure ≤ 2.5"),
        (3, 2, "district ≠ north"),
        (4, 2, "district = north"),
        (2, 1, "pressure > 2.5"),
    ]


def test_what_lies_too_deep_is_left_out() -> None:
    assert [row.node for row in rows_of(CHART, COLUMNS, 1)] == [0, 1, 2]


@pytest.mark.parametrize(
    ("column", "threshold", "left", "words"),
    [
        (NUMBER, -1.25, False, "pressure > -1.25"),
        (TreeColumn(words="age is missing", feature="age", kind="level"), 0.5, True, "age is there"),
        (TreeColumn(words="zone", feature="zone", kind="code", levels=("a", "b", "c")), 0.5, False, "zone in b, c"),
        (TreeColumn(words="street", feature="street", kind="encoded"), 0.25, True, "mean outcome of street ≤ 0.25"),
    ],
)
def test_conditions_in_words(column: TreeColumn, threshold: float, left: bool, words: str) -> None:
    assert condition(column, threshold, left=left) == words


def test_a_drawing_holds_every_word() -> None:
    drawn = top_of(CHART, COLUMNS, 5, PLAIN)
    assert drawn.startswith("<svg")
    assert "splits on protected" in drawn or drawn.count("<path") > 20


def test_a_pdf_of_a_deep_tree_has_as_many_pages_as_it_takes() -> None:
    from brookfall.core.evidence.exhibit import Exhibit, Provenance
    from brookfall.report.trees import tree_file

    depth = 60
    nodes = 2 * depth + 1
    chain = {name: [0.5] * nodes for name in COLUMNS}
    chain["left"] = [float(i + 1) if i % 2 == 0 and i < nodes - 1 else -1.0 for i in range(nodes)]
    chain["right"] = [float(i + 2) if i % 2 == 0 and i < nodes - 1 else -1.0 for i in range(nodes)]
    chain["column"] = [0.0] * nodes
    chain["answer"] = [0.0] * nodes
    made = Provenance(seed=1, rows="", fits=(), recipe=None, seconds=0, scheme="", source="")
    exhibit = Exhibit(
        number=1, check="trees", title="Trees", question=4, state="done", standing=None, answer="",
        charts=(CHART,), series={"tree:1": chain}, provenance=made,
    )  # fmt: skip
    assert len(re.findall(rb"/Type /Page\b", tree_file(exhibit, "tree:1", "pdf"))) == 3
