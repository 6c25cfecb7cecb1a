"""New rows on the server: sent as a draft, scored by a worker, read window by window, saved, kept and taken away."""

import csv
import io
import json
import math
from typing import Any

import openpyxl
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner
from sqlalchemy import select

from brookfall.cli import main
from brookfall.core.foundation.errors import UserError
from brookfall.desk import drafts
from brookfall.engine import scorings
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.database import transaction
from brookfall.records.drafts import Draft
from brookfall.records.people import Person
from brookfall.records.scorings import Scoring
from tests.api.conftest import Answer, Visitor
from tests.api.packages import rendered, submit
from tests.api.test_case import SignIn, taken
from tests.api.test_signing import number_of
from tests.conftest import files_of, rows_csv, until
from tests.core.test_cli import written

NEW = rows_csv(60, seed=9)
SECONDS = 60


def send(visitor: Visitor, base: str, rows: str, **brief: object) -> Answer:
    """The file as a draft, handed to a worker; the answer that says so, or the one that refused."""
    begun = visitor.ask("POST", "/api/drafts", {"brief": brief, "added_to": number_of(base), "scored": True})
    if begun.status_code != 200:
        return begun
    at = f"/api/drafts/{begun.json['id']}"
    data = rows.encode()
    sent = visitor.ask("PUT", f"{at}/files?path=march.csv&size={len(data)}&offset=0", data=data)
    assert sent.status_code == 200, sent.text
    return visitor.ask("POST", f"{at}/submission")


def scorings_of(visitor: Visitor, base: str) -> list[dict[str, Any]]:
    return list(visitor.get(f"{base}/new-rows")["scorings"])


def scored(visitor: Visitor, base: str, rows: str, **brief: object) -> dict[str, Any]:
    """What came of a file, once it is scored."""
    before = len(scorings_of(visitor, base))
    answer = send(visitor, base, rows, **brief)
    assert answer.status_code == 200, answer.text

    def ended() -> bool:
        found = scorings_of(visitor, base)
        return len(found) > before and found[0]["state"] in ("done", "failed")

    assert until(ended, SECONDS)
    return scorings_of(visitor, base)[0]


def rows_of(visitor: Visitor, base: str, number: int, query: str = "") -> dict[str, Any]:
    return dict(visitor.get(f"{base}/new-rows/{number}/rows{query}"))


def test_a_file_is_scored_by_several_models_as_the_command_line_scores_it(
    visitor: SignIn, workers: House, tmp_path: Any
) -> None:
    iris, base = taken(visitor, "new rows scored", files_of())
    offered = iris.get(f"{base}/new-rows")
    assert offered["may_score"]
    assert {"name": "recipe", "words": "the submitted recipe"} in offered["models"]
    one = scored(iris, base, NEW, models=["recipe", "tree"], coverage=0.8)
    assert one["state"] == "done", one["said"]
    assert "On 60 new rows with an outcome AUC of the submitted recipe is" in one["said"]
    assert one["result"]["measured"] == 60
    assert one["result"]["charts"][0]["kind"] == "strip"
    table = one["result"]["tables"][0]
    assert table["columns"] == ["measure", "submitted recipe", "decision tree"]
    assert any("decide differently on" in line for line in one["result"]["remarks"])
    assert not one["changed_since"]

    saved = iris.ask("GET", f"{base}/new-rows/{one['number']}/csv")
    assert "attachment" in saved.headers["Content-Disposition"]
    package = written(tmp_path / "package", files_of())
    (tmp_path / "new.csv").write_text(NEW)
    by_hand = CliRunner().invoke(
        main, ["score", package, str(tmp_path / "new.csv"), "--model", "recipe", "--model", "tree", "--coverage", "0.8"]
    )
    assert saved.text.replace("\r\n", "\n") == by_hand.stdout.replace("\r\n", "\n"), "bit for bit"
    sheet = openpyxl.load_workbook(io.BytesIO(iris.ask("GET", f"{base}/new-rows/{one['number']}/xlsx").data)).active
    assert sheet is not None
    assert sheet.max_row == 61
    parquet = pq.read_table(io.BytesIO(iris.ask("GET", f"{base}/new-rows/{one['number']}/parquet").data))
    assert parquet.num_rows == 60

    with transaction() as session:
        entries = session.scalars(
            select(RecordEntry).where(RecordEntry.case_id == number_of(base)).order_by(RecordEntry.id.desc()).limit(2)
        ).all()
        assert [entry.act for entry in entries] == ["scored new rows", "asked for new rows to be scored"]
        assert json.loads(entries[0].after)["sha256"] == one["sha256"]


def test_rows_are_read_in_windows_by_kind_and_column(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "windows of new rows", files_of())
    rows = list(csv.DictReader(io.StringIO(NEW)))
    rows[3]["x"] = "99"
    held = io.StringIO()
    made = csv.DictWriter(held, list(rows[0]))
    made.writeheader()
    made.writerows(rows)
    one = scored(iris, base, held.getvalue(), models=["recipe", "tree"])
    whole = rows_of(iris, base, one["number"])
    assert whole["total"] == whole["of"] == 60
    assert whole["columns"][:2] == ["id", "recipe.score"]
    assert whole["columns"][whole["said"] :] == ["x", "z", "kind", "sex", "age", "y"]
    place = whole["columns"].index("recipe.decision")
    other = whole["columns"].index("tree.decision")
    differ = rows_of(iris, base, one["number"], "?only=differ")
    assert differ["total"] == sum(row[place] != row[other] for row in whole["rows"]) == whole["counts"]["differ"]
    assert all(row[place] != row[other] for row in differ["rows"])
    assert rows_of(iris, base, one["number"], "?only=outside")["places"] == [4]
    wrong = rows_of(iris, base, one["number"], "?only=wrong")
    outcome = whole["columns"].index("y")
    assert wrong["total"] == sum(
        row[outcome] not in (row[place], row[other]) or row[place] != row[other] for row in whole["rows"]
    )
    fallen = rows_of(iris, base, one["number"], "?sort=recipe.score&order=falling&limit=5")
    values = [float(row[1]) for row in fallen["rows"]]
    assert values == sorted(values, reverse=True)
    assert len(values) == 5
    full = dict(iris.get(f"{base}/new-rows/{one['number']}/rows/4"))
    assert [model["name"] for model in full["models"]] == ["recipe", "tree"]
    assert {cell["column"]: cell["cell"] for cell in full["own"]}["x"] == "99"
    recipe = full["models"][0]
    score = float(next(cell["cell"] for cell in recipe["said"] if cell["column"] == "score"))
    assert recipe["scale"] == "log odds"
    total = recipe["base"] + sum(reason["by"] for reason in recipe["reasons"])
    assert 1 / (1 + math.exp(-total)) == pytest.approx(score, abs=1e-5), "reasons add up to what is shown"
    assert recipe["reasons"][0] == {**recipe["reasons"][0], "feature": "x", "value": "99"}
    assert [abs(reason["by"]) for reason in recipe["reasons"]] == sorted(
        (abs(reason["by"]) for reason in recipe["reasons"]), reverse=True
    )
    assert iris.ask("GET", f"{base}/new-rows/{one['number']}/rows/61").status_code == 404
    assert iris.ask("GET", f"{base}/new-rows/{one['number']}/rows/0").status_code == 422
    for query in ("?sort=none", "?only=odd", "?limit=1000"):
        assert iris.ask("GET", f"{base}/new-rows/{one['number']}/rows{query}").status_code == 422
    assert iris.ask("GET", f"{base}/new-rows/99/rows").status_code == 404
    assert iris.ask("GET", f"{base}/new-rows/{one['number']}/pdf").status_code == 422


def test_what_can_not_be_scored_is_told_and_leaves_the_rest(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "new rows refused", files_of())
    without = scored(iris, base, "id,x,kind\n1,2,red\n")
    assert without["state"] == "failed"
    assert "march.csv, column z" in without["said"]
    assert "Without it no row can be scored" in without["said"]
    for brief, words in (
        ({"models": ["magic"]}, "No model of this outcome is called"),
        ({"models": []}, "at least 1"),
        ({"coverage": 2}, "less than 1"),
        ({"colour": "red"}, "colour"),
    ):
        answer = send(iris, base, NEW, **brief)
        assert answer.status_code == 200

        def told(draft: int = answer.json["id"]) -> bool:
            return bool(iris.get(f"/api/drafts/{draft}")["fault"])

        assert until(told, SECONDS)
        fault = iris.get(f"/api/drafts/{answer.json['id']}")["fault"]
        assert words in fault["detail"], fault
    assert len(scorings_of(iris, base)) == 1, "what was refused at the door is no scoring"


def test_who_reviews_or_belongs_to_the_model_may_and_nobody_else(visitor: SignIn, workers: House) -> None:
    sent = submit(visitor("nell"), files_of(), version="new rows of whom")
    base = f"/api/cases/{sent.json['case_id']}"
    nell, tom, ada = visitor("nell"), visitor("tom"), visitor("ada")
    assert scored(nell, base, NEW)["state"] == "done", "an owner, before anybody reviews it"
    for other in (tom, ada):
        refused = send(other, base, NEW)
        assert refused.status_code in (403, 404)
        assert not other.get(f"{base}/new-rows")["may_score"] if refused.status_code == 403 else True
    assert visitor("ada").ask("GET", f"{base}/new-rows/1/csv").status_code == 200, "an auditor reads"


def test_what_was_learned_from_may_change_and_that_is_said(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "new rows stale", files_of())
    scored(iris, base, NEW)
    with transaction() as session:
        case = session.get_one(Case, number_of(base))
        case.roles = {**case.roles, "ignore": ["kind"]}
    assert scorings_of(iris, base)[0]["changed_since"]


def test_a_worker_that_died_leaves_it_to_another_and_three_are_enough(visitor: SignIn, stores: House) -> None:
    iris, base = taken(visitor, "new rows killed", files_of())
    begun = iris.ask("POST", "/api/drafts", {"brief": {}, "added_to": number_of(base), "scored": True}).json
    data = NEW.encode()
    iris.ask("PUT", f"/api/drafts/{begun['id']}/files?path=new.csv&size={len(data)}&offset=0", data=data)
    with transaction() as session:
        draft = session.get_one(Draft, begun["id"])
        person = session.get_one(Person, draft.person_id)
        drafts.become(session, person, draft, lambda doing, share: None)
    with transaction() as session:
        one = session.scalars(select(Scoring).where(Scoring.case_id == number_of(base))).one()
        key, one.attempts = one.id, 3
    scorings.score(key)
    with transaction() as session:
        one = session.get_one(Scoring, key)
        assert one.state == "failed"
        assert "It ended its worker 3 times" in one.said
        one.state, one.attempts, one.said = "waiting", 2, ""
    scorings.score(key)
    assert scorings_of(iris, base)[0]["state"] == "done"
    again = iris.ask("DELETE", f"{base}/new-rows/1")
    assert again.status_code == 422
    assert "are not being scored" in again.json["detail"]


def test_one_that_waits_can_be_cancelled_and_no_worker_takes_it_up(visitor: SignIn, stores: House) -> None:
    iris, base = taken(visitor, "new rows cancelled", files_of())
    with transaction() as session:
        case = session.get_one(Case, number_of(base))
        person = session.scalars(select(Person).where(Person.login == "iris")).one()
        from brookfall.desk import new_rows

        key = new_rows.ask(session, person, case.id, {}, {"new.csv": NEW.encode()})
        with pytest.raises(UserError):
            new_rows.ask(session, person, case.id, {"models": ["magic"]}, {"new.csv": b"x"})
    assert iris.ask("DELETE", f"{base}/new-rows/1").json["state"] == "cancelled"
    scorings.score(key)
    assert scorings_of(iris, base)[0]["state"] == "cancelled"
    assert iris.ask("GET", f"{base}/new-rows/1/csv").status_code == 404


def test_a_finding_cites_what_came_of_them(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "new rows cited", files_of())
    assert scored(iris, base, NEW)["state"] == "done"
    said = scorings_of(iris, base)[0]["said"]
    text = {"severity": 2, "title": "Worse on later rows", "what": "See the new rows.", "cites": [], "new_rows": [1]}
    refused = iris.ask("POST", f"{base}/findings", {"finding": {**text, "new_rows": [2]}})
    assert refused.status_code == 422
    assert "New rows 2 are not there to be cited" in refused.json["detail"]
    written = iris.ask("POST", f"{base}/findings", {"finding": text})
    assert written.status_code == 200, written.text
    assert written.json["new_rows"] == [{"number": 1, "file": "march.csv", "quote": said}]
    assert written.json["cites"] == []

    # Scored again, it stays what was quoted; and can be taken out.
    changed = {**text, "title": "Worse on the rows of March"}
    at = f"{base}/findings/{written.json['id']}"
    edited = iris.ask("PUT", at, {"finding": changed, "revision": written.json["revision"]})
    assert edited.status_code == 200, edited.text
    assert edited.json["new_rows"] == written.json["new_rows"]
    html = rendered(iris, base).data.decode()
    assert "New rows 1, march.csv, SHA-256" in html
    without = iris.ask("PUT", at, {"finding": {**changed, "new_rows": []}, "revision": edited.json["revision"]})
    assert without.json["new_rows"] == []
