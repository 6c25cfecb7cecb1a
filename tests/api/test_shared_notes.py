"""Notes that the validators of a case share, and what a reviewer calls a plan."""

import json

import pytest
from sqlalchemy import select

from brookfall.records.audit_log import RecordEntry
from brookfall.records.database import transaction
from tests.api.test_case import SignIn, ran, taken
from tests.api.test_finding_life import entries_of

pytestmark = pytest.mark.usefixtures("workers")


def test_validators_share_notes_and_nobody_of_the_model_sees_any(visitor: SignIn) -> None:
    iris, base = taken(visitor, "shared notes")
    shared = iris.ask("POST", f"{base}/shared-notes", {"text": "  Station 4 closed in May.\n"}).json
    assert shared["may_share"]
    tom = visitor("tom").ask("POST", f"{base}/shared-notes", {"text": "And station 5."}).json
    assert [(one["by"], one["text"]) for one in tom["notes"]] == [
        ("Iris Marrow", "Station 4 closed in May."),
        ("Tom Aldous", "And station 5."),
    ]
    assert visitor("ada").get(f"{base}/shared-notes") == {**tom, "may_share": False}
    assert visitor("nell").get(f"{base}/shared-notes") == {"notes": [], "may_share": False}
    for login in ("nell", "ada"):
        assert visitor(login).ask("POST", f"{base}/shared-notes", {"text": "Mine."}).status_code == 403
    assert visitor("wren").ask("GET", f"{base}/shared-notes").status_code == 404
    assert iris.ask("POST", f"{base}/shared-notes", {"text": " \n"}).status_code == 422
    assert len(iris.get(f"{base}/shared-notes")["notes"]) == 2
    # Owners, who read of their cases, are told of no note; whoever reads the whole record is, and not what it says.
    for address in (f"/api/record?case_id={base.rsplit('/', 1)[1]}", "/api/changes"):
        assert "shared a note" not in visitor("nell").ask("GET", address).text
    assert "shared a note" in visitor("ada").ask("GET", f"/api/record?case_id={base.rsplit('/', 1)[1]}").text
    with transaction() as session:
        case_id = int(base.rsplit("/", 1)[1])
        found = session.scalars(select(RecordEntry).where(RecordEntry.case_id == case_id)).all()
        assert sum(one.act == "shared a note" for one in found) == 2
        assert not any("Station 4" in f"{one.subject}{one.before}{one.after}" for one in found)


def test_a_plan_is_named_before_it_is_locked_and_after(visitor: SignIn) -> None:
    base = ran(visitor, "named plan", ["profile"])
    iris = visitor("iris")
    revision = iris.get(f"{base}/plan")["revision"]
    named = iris.ask("PUT", f"{base}/plan/name", {"name": " By station ", "note": "Folds of whole stations."}).json
    assert (named["name"], named["note"], named["revision"]) == ("By station", "Folds of whole stations.", revision)
    assert named["locked"] is not None
    assert iris.get(f"{base}/run")["plan_name"] == "By station"
    for _ in range(2):
        iris.ask("PUT", f"{base}/plan/name", {"name": "By station", "note": "Folds of whole stations."})
    (entry,) = entries_of(base, "named the plan")
    assert (json.loads(entry.before or ""), json.loads(entry.after or "")) == (
        {"name": "", "note": ""},
        {"name": "By station", "note": "Folds of whole stations."},
    )
    assert visitor("tom").ask("PUT", f"{base}/plan/name", {"name": "Another"}).status_code == 403
    assert iris.ask("PUT", f"{base}/plan/name", {"name": "x" * 121}).status_code == 422
    _, other = taken(visitor, "beside a named plan")
    case_id = int(base.rsplit("/", 1)[1])
    assert {one["case_id"]: one["name"] for one in iris.get(f"{other}/plan/others")}[case_id] == "By station"
