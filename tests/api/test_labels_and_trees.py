"""Labels marked through the API, with what follows; a tree's paths and drawings."""

import csv
import io
import itertools
from collections.abc import Callable

import pyarrow.parquet as pq
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.retest.differences import differences
from brookfall.core.retest.evidence_file import Evidence
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import finished, ran, taken
from tests.conftest import files_of

SignIn = Callable[[str], Visitor]
CHECKS = ["labels", "complexity", "trees"]
TREE = {"family": "tree", "settings": {"depth": 5}, "seed": 3}


@pytest.fixture
def run(visitor: SignIn, workers: House, state: dict[str, str]) -> tuple[Visitor, str]:
    """A case with the exhibits of a small tree, made once."""
    if "base" not in state:
        state["base"] = ran(visitor, "labels", CHECKS, files_of(recipe=TREE, claims=[]))
    return visitor("iris"), state["base"]


def listed(visitor: Visitor, base: str) -> dict[str, list[float]]:
    exhibit = visitor.get(f"{base}/exhibits/1")["exhibit"]
    return exhibit["series"]["suspects"]


def marks(visitor: Visitor, base: str) -> dict[int, tuple[str, str | None]]:
    return {one["row"]: (one["verdict"], one["label"]) for one in visitor.get(f"{base}/suspects")["marks"]}


def test_suspects_come_with_their_rows_as_they_read(run: tuple[Visitor, str]) -> None:
    iris, base = run
    found = iris.get(f"{base}/suspects")
    rows = listed(iris, base)["row"]
    assert len(found["rows"]) == len(rows) > 0
    whole = iris.ask("POST", f"{base}/rows", {"offset": int(rows[0]), "limit": 1}).json
    assert found["columns"] == whole["columns"]
    assert found["rows"][0] == whole["rows"][0]


def test_marks_are_kept_replaced_taken_away_and_recorded(run: tuple[Visitor, str]) -> None:
    iris, base = run
    first, second = (int(row) for row in listed(iris, base)["submitted"][:2])
    put = {"marks": [{"row": first, "verdict": "wrong"}, {"row": second, "verdict": "corrected", "label": "no"}]}
    assert iris.ask("POST", f"{base}/marks", put).status_code == 200
    assert marks(iris, base) == {first: ("wrong", None), second: ("corrected", "no")}
    iris.ask("POST", f"{base}/marks", {"marks": [{"row": first, "verdict": "kept"}], "cleared": [second]})
    assert marks(iris, base) == {first: ("kept", None)}
    acts = [entry["act"] for entry in iris.get("/api/record")["entries"]]
    assert acts.count("marked labels") >= 2
    # The same again changes nothing and is no act.
    iris.ask("POST", f"{base}/marks", {"marks": [{"row": first, "verdict": "kept"}]})
    again = [entry["act"] for entry in iris.get("/api/record")["entries"]]
    assert again == acts
    iris.ask("POST", f"{base}/marks", {"cleared": [first]})
    assert marks(iris, base) == {}


@pytest.mark.parametrize(
    ("mark", "said"),
    [
        ({"row": 9_999, "verdict": "wrong"}, "There is no row 10000."),
        ({"row": 0, "verdict": "corrected", "label": "perhaps"}, "There is no class 'perhaps'; classes are no, yes."),
        ({"row": 0, "verdict": "corrected"}, "says what it should have been"),
        ({"row": -1, "verdict": "wrong"}, "must be at least 0"),
    ],
)
def test_a_mark_that_can_not_be_changes_nothing(run: tuple[Visitor, str], mark: dict[str, object], said: str) -> None:
    iris, base = run
    refused = iris.ask("POST", f"{base}/marks", {"marks": [{"row": 1, "verdict": "wrong"}, mark]})
    assert refused.status_code == 422
    assert said in refused.text
    assert marks(iris, base) == {}


def test_only_the_reviewer_marks(run: tuple[Visitor, str], visitor: SignIn) -> None:
    _, base = run
    for login in ("nell", "ada"):
        other = visitor(login)
        assert other.ask("POST", f"{base}/marks", {"cleared": [1]}).status_code == 403
        assert other.ask("GET", f"{base}/suspects").status_code == 200


def test_what_was_marked_makes_the_labels_stale_alone_and_is_run_and_replayed(run: tuple[Visitor, str]) -> None:
    iris, base = run
    rows = [int(row) for row in listed(iris, base)["submitted"][:6]]
    iris.ask("POST", f"{base}/marks", {"marks": [{"row": row, "verdict": "wrong"} for row in rows]})
    states = {one["name"]: one["state"] for one in iris.get(f"{base}/run")["exhibits"]}
    assert states == {"labels": "stale", "complexity": "done", "trees": "done"}
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    exhibit = iris.get(f"{base}/exhibits/1")["exhibit"]
    assert exhibit["state"] == "done"
    assert "as marked" in {e["model"] for e in exhibit["estimates"]}
    evidence = Evidence.model_validate(iris.ask("GET", f"{base}/report/json").json)
    assert [mark.row for mark in evidence.marks] == sorted(rows)
    subject = subject_of(package_from_files(files_of(recipe=TREE, claims=[])), evidence.roles)
    assert differences(evidence.exhibits, retest(Bench(subject, evidence.plan, evidence.marks))) == []
    iris.ask("POST", f"{base}/marks", {"cleared": rows})


def test_the_list_is_saved_with_what_was_said(run: tuple[Visitor, str]) -> None:
    iris, base = run
    columns = listed(iris, base)
    row = int(columns["submitted"][0])
    iris.ask("POST", f"{base}/marks", {"marks": [{"row": row, "verdict": "corrected", "label": "no"}]})
    sent = iris.ask("GET", f"{base}/suspects/csv")
    lines = list(csv.DictReader(io.StringIO(sent.data.decode())))
    assert len(lines) == len(columns["row"])
    assert lines[0]["row"] == str(int(columns["row"][0]) + 1)
    assert (lines[0]["mark"], lines[0]["corrected_to"]) == ("corrected", "no")
    assert {line["suggested"] for line in lines} <= {"yes", "no"}
    table = pq.read_table(io.BytesIO(iris.ask("GET", f"{base}/suspects/parquet").data))
    assert table.num_rows == len(lines)
    assert table["mark"].to_pylist()[:2] == ["corrected", None]
    iris.ask("POST", f"{base}/marks", {"cleared": [row]})


@pytest.mark.parametrize("number", [2, 3])
def test_a_row_is_followed_through_the_tree(run: tuple[Visitor, str], number: int) -> None:
    iris, base = run
    exhibit = iris.get(f"{base}/exhibits/{number}")["exhibit"]
    tree = exhibit["series"]["tree:1"]
    found = iris.get(f"{base}/exhibits/{number}/trees/1/path/7")
    nodes = found["nodes"]
    assert nodes[0] == 0
    assert tree["left"][nodes[-1]] == -1
    for node, after in itertools.pairwise(nodes):
        assert after in (tree["left"][node], tree["right"][node])
    whole = iris.ask("POST", f"{base}/rows", {"offset": 6, "limit": 1}).json
    for name, value in found["row"].items():
        assert whole["rows"][0][whole["columns"].index(name)] == value


def test_where_there_is_no_tree_or_row_it_is_told(run: tuple[Visitor, str]) -> None:
    iris, base = run
    assert iris.ask("GET", f"{base}/exhibits/3/trees/1/path/99999").status_code == 422
    assert iris.ask("GET", f"{base}/exhibits/3/trees/2/path/1").status_code == 422
    assert iris.ask("GET", f"{base}/exhibits/1/trees/1/path/1").status_code == 404
    assert iris.ask("GET", f"{base}/exhibits/1/trees/1/svg").status_code == 404
    assert iris.ask("GET", f"{base}/exhibits/9/trees/1/svg").status_code == 404


def test_the_complete_tree_is_drawn_as_svg_and_pdf(run: tuple[Visitor, str]) -> None:
    iris, base = run
    exhibit = iris.get(f"{base}/exhibits/3")["exhibit"]
    leaves = sum(left == -1 for left in exhibit["series"]["tree:1"]["left"])
    svg = iris.ask("GET", f"{base}/exhibits/3/trees/1/svg")
    assert svg.mimetype == "image/svg+xml"
    assert b"<svg" in svg.data
    assert 'filename="' in svg.headers["Content-Disposition"]
    pdf = iris.ask("GET", f"{base}/exhibits/3/trees/1/pdf")
    assert pdf.data.startswith(b"%PDF")
    assert leaves > 5


def test_labels_that_were_not_checked_say_how(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "unchecked", files_of())
    answer = iris.ask("GET", f"{base}/suspects")
    assert answer.status_code == 404
    assert "Run the label check." in answer.text
