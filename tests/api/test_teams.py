"""Teams: made by administrators, chosen by owners for their models, asked by reviewers to mend what is found."""

from typing import Any

import pytest

from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.database import transaction
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_case import SignIn
from tests.api.test_inventory import named


@pytest.fixture(scope="module", autouse=True)
def members(app: Any) -> None:
    with transaction() as session:
        add_person(session, "tove", "Tove Lind", PASSWORD, ("owner",))
        add_person(session, "ulla", "Ulla Brand", PASSWORD, ("owner",))


def made(by: Visitor, name: str, *members: str) -> Answer:
    return by.ask("POST", "/api/teams", {"name": name, "members": list(members)})


def team(visitor: Visitor, name: str) -> Any:
    return next(one for one in visitor.get("/api/teams") if one["name"] == name)


def changed(by: Visitor, one: Any, **changes: Any) -> Answer:
    body = {"name": one["name"], "members": [member["login"] for member in one["members"]], "closed": False}
    return by.ask("PUT", f"/api/teams/{one['id']}", {**body, **changes})


def sent(visitor: SignIn, name: str) -> tuple[str, int]:
    """A model of Tove's: its key, and its case."""
    tove = visitor("tove")
    case_id = submit(tove, named(name), version="1").json["case_id"]
    key = next(one["key"] for one in tove.get("/api/models")["models"] if one["name"] == name)
    return key, case_id


def test_a_team_is_made_changed_and_closed(visitor: SignIn) -> None:
    wren, nell = visitor("wren"), visitor("nell")
    assert made(wren, "Prevention", "tove", "ulla").status_code == 200
    found = team(nell, "Prevention")
    assert [one["name"] for one in found["members"]] == ["Tove Lind", "Ulla Brand"]
    assert changed(wren, found, name="Prevention and visits", members=["ulla"]).status_code == 200
    found = team(nell, "Prevention and visits")
    assert [one["login"] for one in found["members"]] == ["ulla"]
    assert changed(wren, found, closed=True).status_code == 200
    assert team(nell, "Prevention and visits")["closed"] is not None
    assert changed(wren, found, closed=False).status_code == 200
    assert team(nell, "Prevention and visits")["closed"] is None
    acts = [one["act"] for one in visitor("ada").get("/api/record?kind=people")["entries"]]
    assert acts.count("changed a team") >= 3
    assert acts.count("made a team") >= 1


def test_what_can_not_be_a_team_is_said(visitor: SignIn) -> None:
    wren = visitor("wren")
    made(wren, "Response", "tove")
    for answer, words in (
        (made(wren, "Response"), "There is a team called 'Response' already."),
        (made(wren, "  "), "has no name"),
        (made(wren, "Others", "nobody-here"), "Nobody signs in as 'nobody-here'."),
    ):
        assert answer.status_code == 422
        assert words in answer.json["detail"]
    assert wren.ask("PUT", "/api/teams/999999", {"name": "x", "members": [], "closed": False}).status_code == 404
    for login in ("nell", "iris", "tom", "ada"):
        assert made(visitor(login), "Mine").status_code == 403
        assert changed(visitor(login), team(wren, "Response"), members=[]).status_code == 403


def test_a_model_is_of_a_team_by_its_owner_s_word(visitor: SignIn) -> None:
    wren, tove = visitor("wren"), visitor("tove")
    made(wren, "Analytics", "tove")
    key, _ = sent(visitor, "Of a team")
    page = tove.get(f"/api/models/{key}")
    assert page["team"] is None
    assert "Analytics" in page["teams"]
    assert tove.ask("PUT", f"/api/models/{key}/team", {"team": "Nobody's"}).status_code == 422
    assert visitor("iris").ask("PUT", f"/api/models/{key}/team", {"team": "Analytics"}).status_code == 403
    assert tove.ask("PUT", f"/api/models/{key}/team", {"team": "Analytics"}).json["team"] == "Analytics"
    assert visitor("iris").get(f"/api/models/{key}")["team"] == "Analytics"
    assert visitor("iris").get(f"/api/models/{key}")["teams"] == []
    assert team(wren, "Analytics")["models"] == 1
    changed(wren, team(wren, "Analytics"), name="Analytics group", closed=True)
    page = tove.get(f"/api/models/{key}")
    assert page["team"] == "Analytics group", "what was chosen stays, under its name of today"
    assert "Analytics group" not in page["teams"]
    assert tove.ask("PUT", f"/api/models/{key}/team", {"team": None}).json["team"] is None
    entries = visitor("ada").get("/api/record?kind=model")["entries"]
    assert [one["act"] for one in entries].count("said which team a model is of") >= 2


def test_a_finding_is_asked_of_a_team_and_of_no_stranger(visitor: SignIn) -> None:
    wren, iris = visitor("wren"), visitor("iris")
    made(wren, "Data engineering")
    made(wren, "Gone by then")
    changed(wren, team(wren, "Gone by then"), closed=True)
    _, case_id = sent(visitor, "With a finding for a team")
    assert iris.ask("POST", f"/api/cases/{case_id}/take").status_code == 200
    names = iris.get(f"/api/cases/{case_id}/people")["answerable"]
    assert "Data engineering" in names
    assert "Gone by then" not in names
    finding = {
        "severity": 2,
        "title": "Late rows",
        "what": "Rows come late.",
        "why": "",
        "action": "Mend it",
        "cites": [],
    }

    def written(by_whom: str) -> Answer:
        body = {"finding": {**finding, "action_owner": by_whom}, "draft": True}
        return iris.ask("POST", f"/api/cases/{case_id}/findings", body)

    assert written("Data engineering").status_code == 200
    assert written("Gone by then").status_code == 422
    assert written("Somebody else").status_code == 422
