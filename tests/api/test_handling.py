"""A case beside its review: released, handed over, put off, taken back from a proposal, withdrawn by its owner."""

import json
from datetime import timedelta
from typing import Any

import pytest

from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.config import today
from brookfall.records.database import transaction
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, submit, waiting
from tests.api.test_case import SignIn, finished, proposal, ran, slow_files, taken
from tests.api.test_conditions import acted, approved, asked, reviewed
from tests.api.test_finding_life import entries_of, written
from tests.api.test_questions import line_of
from tests.api.test_signing import number_of
from tests.conftest import files_of

pytestmark = pytest.mark.usefixtures("workers")


def handle(visitor: Visitor, base: str, act: str, reason: str = "I am away.", **more: Any) -> Answer:
    state = more.pop("state", None) or visitor.get(base)["state"]
    return visitor.ask("POST", f"{base}/handling", {"act": act, "state": state, "reason": reason, **more})


def handled(visitor: Visitor, base: str, act: str, reason: str = "I am away.", **more: Any) -> Any:
    answer = handle(visitor, base, act, reason, **more)
    assert answer.status_code == 200, answer.text
    return answer.json


@pytest.fixture
def vera(visitor: SignIn) -> str:
    """A second person who reviews and countersigns."""
    from sqlalchemy import select

    from brookfall.records.people import Person

    with transaction() as session:
        if session.scalar(select(Person.id).where(Person.login == "vera")) is None:
            add_person(session, "vera", "Vera Holm", PASSWORD, ("reviewer", "countersigner"))
    return "vera"


def test_a_case_is_released_and_taken_by_another_and_the_first_never_countersigns_it(
    visitor: SignIn, vera: str
) -> None:
    files = files_of(claims=[], recipe={"family": "logistic", "threshold": 0.5, "seed": 3})
    tom, second = visitor("tom"), visitor(vera)
    nell = visitor("nell")
    base = f"/api/cases/{submit(nell, files, version='released').json['case_id']}"
    assert tom.ask("POST", f"{base}/take").status_code == 200
    assert tom.get(base)["may"]["handle"] == ["hand_over", "release", "reschedule", "prioritise"]
    gone = handled(tom, base, "release")
    assert (gone["state"], gone["reviewer"], gone["may"]["take"]) == ("waiting", None, True)
    assert line_of(nell, base)["stands"] == "waiting"
    assert second.ask("POST", f"{base}/take").status_code == 200
    plan = second.get(f"{base}/plan")
    body = {"revision": plan["revision"], "plan": {**plan["plan"], "checks": ["profile"]}}
    assert second.ask("PUT", f"{base}/plan", body).status_code == 200
    assert second.ask("POST", f"{base}/run").status_code == 200
    finished(second, base)
    assert (
        second.ask("POST", f"{base}/decision", proposal(kind="approved", conditions=[], despite="Few.")).status_code
        == 200
    )
    assert not tom.get(base)["may"]["countersign"]
    refused = countersigned(tom, base, PASSWORD)
    assert (refused.status_code, refused.json["detail"]) == (
        403,
        "You reviewed this case, so you can't countersign it.",
    )
    entry = entries_of(base, "released the case")[0]
    assert json.loads(entry.before) == {"reviewer": "Tom Aldous"}
    assert json.loads(entry.after) == {"reviewer": None, "reason": "I am away."}


def test_a_case_is_handed_over_only_to_who_may_review_it(visitor: SignIn, vera: str) -> None:
    iris, base = taken(visitor, "handed over")
    finding = written(iris, base)
    offered = {one["login"] for one in iris.get(f"{base}/handling")["reviewers"]}
    assert {"tom", vera} <= offered
    assert not offered & {"iris", "nell", "ada", "wren"}
    for login in ("nell", "iris", "ada", "nobody", ""):
        refused = handle(iris, base, "hand_over", to=login)
        assert refused.status_code == 422, login
        assert "Nobody who may review this case" in refused.json["detail"]
    # Who accepted a risk of it has judged it as a countersigner.
    accept = {"act": "accept", "revision": finding["revision"], "text": "For a while.", "until": today().isoformat()}
    accepted = visitor(vera).ask("POST", f"{base}/findings/{finding['id']}/acts", accept)
    assert accepted.status_code == 200, accepted.text
    assert handle(iris, base, "hand_over", to=vera).status_code == 422
    assert handle(iris, base, "hand_over", "  ", to="tom").json["detail"] == "Nothing says why."
    given = handled(iris, base, "hand_over", to="tom")
    assert (given["state"], given["reviewer"], given["may"]["review"]) == ("in_review", "Tom Aldous", False)
    assert visitor("tom").get(base)["may"]["review"]
    assert handle(iris, base, "release").status_code == 403
    assert iris.get(f"{base}/handling")["reviewers"] == []


def test_a_decided_case_is_handed_over_for_what_comes_after(visitor: SignIn, vera: str) -> None:
    base = reviewed(visitor, "handed over later", "Handed over later")
    approved(visitor, base, asked(today() + timedelta(days=30)))
    acted(visitor("nell"), base, "send", "Here it is.")
    assert handle(visitor("iris"), base, "hand_over", to="tom").status_code == 422, "he countersigned it"
    handled(visitor("iris"), base, "hand_over", to=vera)
    assert visitor(vera).get(f"{base}/decision")["approval"]["conditions"][0]["may"] == ["meet", "turn_down", "comment"]
    assert visitor("iris").get(f"{base}/decision")["approval"]["conditions"][0]["may"] == []
    acted(visitor(vera), base, "meet", "It does.")


def test_a_proposal_is_taken_back_before_it_is_signed(visitor: SignIn) -> None:
    base = ran(visitor, "proposal taken back", ["profile"], files_of(claims=[]))
    iris = visitor("iris")
    assert (
        iris.ask("POST", f"{base}/decision", proposal(kind="approved", conditions=[], despite="Few.")).status_code
        == 200
    )
    assert iris.get(base)["may"]["handle"] == ["reschedule", "prioritise", "take_back"]
    assert handle(visitor("tom"), base, "take_back").status_code == 403
    back = handled(iris, base, "take_back", "One exhibit was read wrongly.")
    assert (back["state"], back["may"]["review"]) == ("in_review", True)
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 403
    assert (
        iris.ask("POST", f"{base}/decision", proposal(kind="approved", conditions=[], despite="Few.")).status_code
        == 200
    )
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    assert handle(iris, base, "take_back").status_code == 403


def test_who_sent_a_decision_back_can_not_become_the_reviewer(visitor: SignIn, vera: str) -> None:
    base = ran(visitor, "sent back and given on", ["profile"], files_of(claims=[]))
    iris, tom = visitor("iris"), visitor("tom")
    assert (
        iris.ask("POST", f"{base}/decision", proposal(kind="approved", conditions=[], despite="Few.")).status_code
        == 200
    )
    back = {"accept": False, "comment": "Too few rows.", "password": PASSWORD}
    assert tom.ask("POST", f"{base}/countersignature", back).status_code == 200
    assert handle(iris, base, "hand_over", to="tom").status_code == 422
    # Who took their own proposal back judged nothing as another.
    assert (
        iris.ask("POST", f"{base}/decision", proposal(kind="approved", conditions=[], despite="Few.")).status_code
        == 200
    )
    handled(iris, base, "take_back")
    handled(iris, base, "release")
    refused = tom.ask("POST", f"{base}/take")
    assert (refused.status_code, refused.json["detail"]) == (
        403, "You judged this case as a second, so you can't review it.",
    )  # fmt: skip
    assert iris.ask("POST", f"{base}/take").status_code == 200


def test_another_date_and_priority_with_their_reason(visitor: SignIn) -> None:
    iris, base = taken(visitor, "put off")
    tom = visitor("tom")
    due = (today() + timedelta(days=40)).isoformat()
    assert handled(iris, base, "reschedule", due=due)["due"] == due
    assert handle(iris, base, "reschedule", due="2020-01-01").json["detail"] == "1 Jan 2020 is past."
    assert handled(tom, base, "prioritise", "The board asks.", priority="high")["priority"] == "high"
    assert line_of(iris, base)["priority"] == "high"
    assert handle(tom, base, "prioritise").status_code == 422
    assert handled(iris, base, "reschedule", "No date was agreed.")["due"] is None
    assert handle(visitor("nell"), base, "reschedule", due=due).status_code == 403
    assert [json.loads(one.after) for one in entries_of(base, "gave the case another%")] == [
        {"due": due, "reason": "I am away."},
        {"priority": "high", "reason": "The board asks."},
        {"due": None, "reason": "No date was agreed."},
    ]


def test_a_stale_window_is_told(visitor: SignIn) -> None:
    iris, base = taken(visitor, "handled stale")
    handled(iris, base, "release")
    late = handle(iris, base, "hand_over", state="in_review", to="tom")
    assert (late.status_code, late.json["detail"]) == (409, "The case is waiting for a reviewer since you opened it.")


def test_the_owner_withdraws_a_case_and_its_run_ends(visitor: SignIn) -> None:
    iris, base = taken(visitor, "withdrawn case", slow_files(81))
    nell = visitor("nell")
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert nell.get(base)["may"]["handle"] == ["withdraw"]
    assert handle(iris, base, "withdraw").status_code == 403
    gone = handled(nell, base, "withdraw", "The data were wrong.")
    assert (gone["state"], gone["run_state"]) == ("withdrawn", "cancelled")
    assert line_of(iris, base)["stands"] == "withdrawn"
    page = nell.get(f"/api/models/{gone['model_key']}")
    shown = next(one for one in page["versions"] if one["line"]["id"] == number_of(base))
    assert (shown["standing"], shown["why"]) == (None, "withdrawn from review")
    events = [(one["what"], one["by"]) for one in page["events"] if one["case_id"] == number_of(base)]
    assert events[-1] == ("withdrawn from review: The data were wrong.", "Nell Farrow")
    assert iris.ask("POST", f"{base}/run").json["detail"] == "The case was withdrawn by its owner."
    assert iris.ask("POST", f"{base}/take").status_code == 403
    assert not any(gone["may"][what] for what in ("take", "review", "countersign"))
    assert base.rpartition("/")[2] not in [str(one["case_id"]) for one in waiting(iris, "case")]


def test_a_re_review_that_was_withdrawn_makes_way_for_another(visitor: SignIn) -> None:
    base = reviewed(visitor, "asked twice", "Asked twice")
    approved(visitor, base)
    nell = visitor("nell")
    first = nell.ask("POST", f"{base}/re-review", {"reason": "The streets have changed."})
    assert first.status_code == 200, first.text
    again = nell.ask("POST", f"{base}/re-review", {"reason": "Once more."})
    assert again.status_code == 422
    opened = f"/api/cases/{first.json['id']}"
    handled(nell, opened, "withdraw", "Too early.")
    second = nell.ask("POST", f"{base}/re-review", {"reason": "A year later."})
    assert second.status_code == 200, second.text
    assert second.json["review"] == 3
    assert second.json["before"] == int(base.rpartition("/")[2]), "what was withdrawn came to no end"
