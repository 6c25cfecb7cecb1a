"""The rows behind an exhibit through the API, as files, and the threshold that a finding keeps."""

import csv
import io
from collections.abc import Callable
from typing import Any
from urllib.parse import urlencode

import pyarrow.parquet as pq
import pytest

from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.packages import rendered
from tests.api.test_case import finished, plan_of, ran, taken
from tests.conftest import files_of, rows_csv

SignIn = Callable[[str], Visitor]
CHECKS = ["holdout", "threshold"]


@pytest.fixture
def run(visitor: SignIn, workers: House, state: dict[str, str]) -> tuple[Visitor, str]:
    """A case with its exhibits, made once; a text column of it holds what a spreadsheet would compute."""
    if "base" not in state:
        lines = rows_csv().splitlines()
        noted = [f"{line},{'=2+5' if i % 2 else '-'}" for i, line in enumerate(lines[1:])]
        csv_text = "\n".join([f"{lines[0]},note", *noted]) + "\n"
        roles = {
            "target": "y",
            "positive": "yes",
            "identifier": ["id"],
            "protected": ["sex", "age"],
            "ignore": ["note"],
        }
        data = [{"name": "rows", "path": "data/rows.csv", "roles": roles}]
        state["base"] = ran(visitor, "behind", CHECKS, files_of(csv=csv_text, data=data))
    return visitor("iris"), state["base"]


def matrix(visitor: Visitor, base: str) -> dict[str, Any]:
    exhibit = visitor.get(f"{base}/exhibits/1")["exhibit"]
    return next(chart for chart in exhibit["charts"] if chart["kind"] == "matrix")


def test_a_cell_opens_its_rows(run: tuple[Visitor, str]) -> None:
    iris, base = run
    chart = matrix(iris, base)
    behind = {**chart["rows"], "outcome": "yes", "decided": "no"}
    found = iris.ask("POST", f"{base}/behind", {"behind": behind, "limit": 5, "sort": "score", "falling": True}).json
    assert found["total"] == chart["cells"][1][0]
    assert found["columns"][: found["said"]] == ["score", "decided"]
    scores = [float(row[0]) for row in found["rows"]]
    assert scores == sorted(scores, reverse=True)
    assert all(score < 0.5 for score in scores)
    assert found["title"] == "test rows (refitted here), outcome yes, decided no"
    rest = iris.ask("POST", f"{base}/behind", {"behind": behind, "offset": 5, "sort": "score", "falling": True}).json
    assert len(rest["rows"]) == found["total"] - 5
    assert float(rest["rows"][0][0]) <= scores[-1]
    by_column = iris.ask("POST", f"{base}/behind", {"behind": behind, "sort": "x"}).json
    values = [row[by_column["columns"].index("x")] for row in by_column["rows"]]
    known = [float(value) for value in values if value is not None]
    assert known == sorted(known)
    assert None not in values[: len(known)]


def test_the_rows_as_files(run: tuple[Visitor, str]) -> None:
    iris, base = run
    behind = {"model": "recipe", "part": "test", "outcome": "yes", "threshold": 0.3}
    listed = iris.ask("POST", f"{base}/behind", {"behind": behind, "limit": 200}).json
    answer = iris.ask("GET", f"{base}/behind/csv?{urlencode(behind)}")
    assert answer.status_code == 200
    assert "attachment" in answer.headers["Content-Disposition"]
    rows = list(csv.DictReader(io.StringIO(answer.get_data(as_text=True), newline="")))
    assert [int(row["row"]) for row in rows] == listed["places"]
    assert {row["note"] for row in rows} <= {"'=2+5", "'-"}
    read = pq.read_table(io.BytesIO(iris.ask("GET", f"{base}/behind/parquet?{urlencode(behind)}").get_data()))
    assert read.column("row").to_pylist() == listed["places"]
    assert set(read.column("note").to_pylist()) <= {"=2+5", "-"}
    # The text holds the very bits.
    assert [float(row["score"]) for row in rows] == read.column("score").to_pylist()
    assert {row["decided"] for row in rows if float(row["score"]) >= 0.3} == {"yes"}


BAD = [
    ({"model": "recipe", "part": "nowhere"}, 422, "no scores of nowhere"),
    ({"model": "scores", "part": "test"}, 422, "no model called"),
    ({"model": "recipe"}, 422, "behind"),
    ({"model": "recipe", "part": "test", "score_from": "low"}, 422, "behind"),
    ({"model": "tree", "part": "out_of_fold"}, 404, "not there for this plan"),
]


@pytest.mark.parametrize(("behind", "status", "said"), BAD)
def test_what_can_not_be_shown_is_told(
    run: tuple[Visitor, str], behind: dict[str, object], status: int, said: str
) -> None:
    iris, base = run
    answer = iris.ask("POST", f"{base}/behind", {"behind": behind})
    assert answer.status_code == status
    assert said.lower() in f"{answer.json['detail']} {answer.json['where']}".lower()


def test_an_unknown_column_to_sort_by(run: tuple[Visitor, str]) -> None:
    iris, base = run
    body = {"behind": {"model": "recipe", "part": "test"}, "sort": "nothing"}
    assert iris.ask("POST", f"{base}/behind", body).status_code == 422


def test_who_may_see_the_rows(run: tuple[Visitor, str], visitor: SignIn) -> None:
    _, base = run
    body = {"behind": {"model": "recipe", "part": "test"}}
    assert visitor("nell").ask("POST", f"{base}/behind", body).status_code == 200
    nobody = visitor("wren")
    nobody.ask("DELETE", "/api/session")
    assert nobody.ask("POST", f"{base}/behind", body).status_code == 401
    assert nobody.ask("GET", f"{base}/behind/csv?model=recipe&part=test").status_code == 401
    assert visitor("wren").ask("POST", "/api/cases/999999/behind", body).status_code == 404


def test_after_a_deviation_the_old_scores_are_not_shown(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "behind deviating")
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    body = {"behind": {"model": "recipe", "part": "test"}}
    before = iris.ask("POST", f"{base}/behind", body).json
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Another seed"}).status_code == 200
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=8)).status_code == 200
    assert iris.ask("POST", f"{base}/behind", body).status_code == 404
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    assert iris.ask("POST", f"{base}/behind", body).json["places"] != before["places"]


def test_a_finding_keeps_the_chosen_threshold(run: tuple[Visitor, str]) -> None:
    iris, base = run
    chosen = {"exhibit": 2, "chart": 0, "threshold": 0.3, "miss_cost": 5}
    text = {"severity": 2, "title": "Too high", "what": "It misses too many", "cites": [2], "thresholds": [chosen]}
    answer = iris.ask("POST", f"{base}/findings", {"finding": text})
    assert answer.status_code == 200, answer.text
    (cite,) = answer.json["cites"]
    assert cite["threshold"] == chosen
    assert cite["read"].startswith("At a threshold of 0.3, on ")
    assert "With a miss as dear as 5 false alarms it costs" in cite["read"]
    assert cite["read"] in rendered(iris, base).text
    # It can be edited while a deviation has made the scores it was read from those of another plan.
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Another seed"}).status_code == 200
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=99)).status_code == 200
    edited = {"revision": answer.json["revision"], "finding": {**text, "title": "Much too high"}}
    kept = iris.ask("PUT", f"{base}/findings/{answer.json['id']}", edited)
    assert kept.status_code == 200, kept.text
    assert kept.json["cites"][0]["read"] == cite["read"]
    assert iris.ask("DELETE", f"{base}/deviation").status_code == 200
    wrong = {**text, "thresholds": [{**chosen, "exhibit": 1}], "cites": [1]}
    refused = iris.ask("POST", f"{base}/findings", {"finding": wrong})
    assert (refused.status_code, "no threshold" in refused.json["detail"]) == (422, True)
    out_of_range = {**text, "thresholds": [{**chosen, "chart": 9}]}
    assert iris.ask("POST", f"{base}/findings", {"finding": out_of_range}).status_code == 422
