"""The record read: narrowed to case, model, person, kind and days; in words; as CSV and as JSON lines."""

import csv
import io
import json
from datetime import timedelta
from typing import Any

import pytest

from brookfall.core.evidence.acts import KINDS, kind_of
from brookfall.core.evidence.record_line import RecordLine
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.audit_log import append
from brookfall.records.config import begin_of, today
from brookfall.records.database import transaction
from tests.api.conftest import Visitor
from tests.api.test_case import SignIn, plan_of, taken
from tests.api.test_finding_life import written
from tests.api.test_inventory import named, sent


def listed(visitor: Visitor, **asked: Any) -> list[dict[str, Any]]:
    query = "&".join(f"{name}={value}" for name, value in asked.items())
    entries: list[dict[str, Any]] = visitor.get(f"/api/record?{query}")["entries"]
    return entries


def test_an_act_of_no_kind_is_not_entered(visitor: SignIn) -> None:
    visitor("ada")
    with pytest.raises(ValueError, match="of no kind"), transaction() as session:
        append(session, None, "painted the house", "all of it")


def test_what_an_entry_changed_is_told_in_words(visitor: SignIn) -> None:
    iris, base = taken(visitor, "told in words")
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=78)).status_code == 200
    changed, took, submitted = listed(iris, case_id=base.rsplit("/", 1)[1])
    assert changed["changes"] == [{"what": "seed", "before": "20417", "after": "78"}]
    assert (changed["kind"], changed["case"]) == ("plan", "Sample told in words")
    assert {"what": "state", "before": None, "after": "in review"} in took["changes"]
    assert (took["kind"], took["subject"]) == ("case", took["case"])
    assert submitted["kind"] == "case"


def test_entries_are_narrowed(visitor: SignIn) -> None:
    iris, base = taken(visitor, "narrowed")
    case_id = int(base.rsplit("/", 1)[1])
    ada = visitor("ada")
    by_iris = iris.get("/api/session")["id"]
    assert {entry["case_id"] for entry in listed(ada, case_id=case_id)} == {case_id}
    assert [entry["act"] for entry in listed(ada, case_id=case_id, person_id=by_iris)] == ["took the case"]
    for kind in KINDS:
        assert {entry["kind"] for entry in listed(ada, kind=kind)} <= {kind}
    assert [entry["act"] for entry in listed(ada, kind="plan", case_id=case_id)] == []
    day = today()
    assert listed(ada, case_id=case_id, since=day - timedelta(days=1), until=day + timedelta(days=1))
    assert listed(ada, case_id=case_id, until=day - timedelta(days=2)) == []
    assert listed(ada, case_id=case_id, since=day + timedelta(days=2)) == []
    assert ada.ask("GET", "/api/record?kind=paint").status_code == 422
    assert ada.ask("GET", "/api/record?since=soon").status_code == 422


def test_a_day_of_the_house_is_whole(visitor: SignIn) -> None:
    iris, base = taken(visitor, "a whole day")
    (took, _) = listed(iris, case_id=base.rsplit("/", 1)[1])
    # The house stands in a zone of its own; its day begins when it is midnight there.
    day = today()
    assert begin_of(day).isoformat() <= took["at"].replace("Z", "") < begin_of(day + timedelta(days=1)).isoformat()


def test_a_model_s_entries_are_those_of_its_cases_and_its_own(visitor: SignIn) -> None:
    nell, ada = visitor("nell"), visitor("ada")
    sent(nell, named("Of the record"), "1")
    sent(nell, named("Of the record too"), "1")
    assert nell.ask("PUT", "/api/models/of-the-record/withdrawal", {"reason": "It is done."}).status_code == 200
    entries = listed(ada, model="of-the-record")
    assert [entry["act"] for entry in entries] == ["withdrew a model", "submitted"]
    assert entries[0]["subject"] == "Of the record (of-the-record)"
    assert ada.ask("GET", "/api/record?model=of-no-record").status_code == 404


def test_an_owner_reads_of_their_own_cases_alone(visitor: SignIn) -> None:
    with transaction() as session:
        add_person(session, "rosa", "Rosa Lind", PASSWORD, ("owner",))
    nell, rosa = visitor("nell"), visitor("rosa")
    _, base = taken(visitor, "not for rosa")
    case_id = int(base.rsplit("/", 1)[1])
    assert case_id in {entry["case_id"] for entry in listed(nell)}
    assert case_id not in {entry["case_id"] for entry in listed(rosa)}
    assert None not in {entry["case_id"] for entry in listed(nell)}
    assert rosa.ask("GET", f"/api/record?case_id={case_id}").status_code == 404
    assert rosa.ask("GET", "/api/record?model=sample").status_code == 404
    assert rosa.ask("GET", f"/api/record/file?form=csv&case_id={case_id}").status_code == 404
    assert visitor("wren").ask("GET", "/api/record/file?form=csv").status_code == 403
    assert "Sample" not in rosa.ask("GET", "/api/record/file?form=jsonl").text
    assert rosa.get("/api/record")["people"] == []
    sent(rosa, named("Of rosa"), "1")
    assert [one["name"] for one in rosa.get("/api/record")["people"]] == ["Rosa Lind"]


def test_json_lines_hold_whole_entries_whose_hashes_can_be_checked(visitor: SignIn) -> None:
    _, base = taken(visitor, "as lines")
    answer = visitor("ada").ask("GET", f"/api/record/file?form=jsonl&case_id={base.rsplit('/', 1)[1]}")
    assert answer.content_type.startswith("application/jsonl")
    assert "attachment" in answer.headers["Content-Disposition"]
    lines = [RecordLine.model_validate_json(line) for line in answer.text.splitlines()]
    assert [line.act for line in lines] == ["submitted", "took the case"]
    assert [line.digest() for line in lines] == [line.hash for line in lines]
    whole = visitor("ada").ask("GET", "/api/record/file?form=jsonl").text.splitlines()
    assert [json.loads(line)["id"] for line in whole] == list(range(1, len(whole) + 1))


def test_csv_says_what_changed_and_no_cell_is_a_formula(visitor: SignIn) -> None:
    iris, base = taken(visitor, "as csv")
    for title in ("=HYPERLINK(1)", "Plain"):
        written(iris, base, title=title)
    answer = visitor("ada").ask("GET", f"/api/record/file?form=csv&kind=finding&case_id={base.rsplit('/', 1)[1]}")
    rows = list(csv.DictReader(io.StringIO(answer.text)))
    assert [row["act"] for row in rows] == ["wrote a finding"] * 2
    assert rows[0]["subject"] == "1: =HYPERLINK(1)"
    assert "title: =HYPERLINK(1)" in rows[0]["changed"]
    assert all(not cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row.values())
    assert (rows[0]["model"], rows[0]["version"], rows[0]["kind"]) == ("Sample", "as csv", "finding")
    assert all(kind_of(row["act"]) == row["kind"] for row in rows)
