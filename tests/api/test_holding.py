"""Who holds what, and all that a reviewer has in review handed to another."""

from typing import Any

import pytest
from sqlalchemy import select

from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.people import Person
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_case import SignIn
from tests.api.test_finding_life import entries_of
from tests.api.test_inventory import named


@pytest.fixture(scope="module")
def reviewers(app: Any) -> dict[str, int]:
    """Reviewers of this file alone; one of them also sends models, another countersigns."""
    with transaction() as session:
        made = {
            "hal": add_person(session, "hal", "Hal Moss", PASSWORD, ("reviewer",)),
            "ines": add_person(session, "ines", "Ines Dale", PASSWORD, ("reviewer", "owner")),
            "jude": add_person(session, "jude", "Jude Fell", PASSWORD, ("countersigner",)),
        }
        return {login: person.id for login, person in made.items()}


def in_review(owner: Visitor, reviewer: Visitor, name: str) -> int:
    answer = submit(owner, named(name), version="1")
    assert answer.status_code == 200, answer.text
    case_id: int = answer.json["case_id"]
    assert reviewer.ask("POST", f"/api/cases/{case_id}/take").status_code == 200
    return case_id


def held(visitor: Visitor, login: str) -> Any:
    return next(one for one in visitor.get("/api/holding") if one["login"] == login)


def given(visitor: Visitor, of: int, to: str, reason: str = "Away for a month.") -> Answer:
    return visitor.ask("POST", "/api/holding/hand-over", {"of": of, "to": to, "reason": reason})


def reviewer_of(case_id: int) -> str:
    with transaction() as session:
        reviewer = session.get_one(Case, case_id).reviewer
        return reviewer.login if reviewer else ""


def test_all_of_a_reviewer_s_cases_go_to_another_but_those_that_may_not(
    visitor: SignIn, reviewers: dict[str, int]
) -> None:
    hal, ines, nell = visitor("hal"), visitor("ines"), visitor("nell")
    mine = [in_review(nell, hal, f"Held {place}") for place in (1, 2)]
    of_ines = in_review(ines, hal, "Held of Ines")
    line = held(visitor("ada"), "hal")
    assert (line["in_review"], line["name"], line["away"]) == (3, "Hal Moss", False)
    assert {one["case_id"] for one in line["cases"]} == {*mine, of_ines}
    answer = given(hal, reviewers["hal"], "ines")
    assert answer.status_code == 200, answer.text
    assert answer.json["handed"] == ["Held 1 1", "Held 2 1"]
    ((left,),) = (answer.json["left"],)
    assert (left["case_id"], "Nobody who may review this case" in left["why"]) == (of_ines, True)
    assert [reviewer_of(one) for one in (*mine, of_ines)] == ["ines", "ines", "hal"]
    (entry,) = entries_of(f"/api/cases/{mine[0]}", "handed the case over")
    assert "Away for a month." in entry.after
    assert (held(hal, "hal")["in_review"], held(hal, "ines")["in_review"]) == (1, 2)
    listed = visitor("ada").get(f"/api/cases?reviewer={reviewers['ines']}")["cases"]
    assert {one["id"] for one in listed} == set(mine)


def test_a_countersigner_hands_over_for_who_has_left(visitor: SignIn, reviewers: dict[str, int]) -> None:
    hal, nell = visitor("hal"), visitor("nell")
    case_id = in_review(nell, hal, "Left behind")
    with transaction() as session:
        session.scalars(select(Person).where(Person.login == "hal")).one().disabled = now()
    try:
        assert held(visitor("jude"), "hal")["away"]
        answer = given(visitor("jude"), reviewers["hal"], "iris", "Hal has left.")
        assert answer.status_code == 200, answer.text
        assert "Left behind 1" in answer.json["handed"]
    finally:
        with transaction() as session:
            session.scalars(select(Person).where(Person.login == "hal")).one().disabled = None
    assert reviewer_of(case_id) == "iris"


def test_who_may_not_hand_over_leaves_every_case_where_it_is(visitor: SignIn, reviewers: dict[str, int]) -> None:
    hal = visitor("hal")
    case_id = in_review(visitor("nell"), hal, "Stays with Hal")
    answer = given(visitor("iris"), reviewers["hal"], "ines")
    assert (answer.status_code, answer.json["handed"]) == (200, [])
    assert case_id in {one["case_id"] for one in answer.json["left"]}
    assert "Only" in answer.json["left"][0]["why"]
    assert given(visitor("nell"), reviewers["hal"], "ines").json["handed"] == []
    assert given(hal, reviewers["hal"], "nell").status_code == 422
    assert given(hal, reviewers["hal"], "ines", " ").status_code == 422
    assert visitor("nell").ask("GET", "/api/holding").status_code == 403
    assert reviewer_of(case_id) == "hal"
