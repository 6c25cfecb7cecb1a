"""Conditions of an approval from its signature to its lapse: who does what, what the record and the docket say."""

import io
import json
from datetime import UTC, date, datetime, timedelta
from itertools import product
from typing import Any

import pytest
from sqlalchemy.orm import Session

from brookfall.core.judge.condition_life import ACTS, LIFE, STATES, ConditionState
from brookfall.core.judge.life import Part
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.approvals import Approval, ApprovalCondition
from brookfall.records.clock import clock_at
from brookfall.records.config import today
from brookfall.records.database import transaction
from brookfall.records.verification import verify_everything
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, waiting
from tests.api.test_case import SignIn, proposal, ran
from tests.api.test_finding_life import entries_of
from tests.api.test_signing import number_of
from tests.conftest import files_of

pytestmark = pytest.mark.usefixtures("workers")

NOON = datetime.now(UTC).replace(hour=12, minute=0, second=0, microsecond=0)


def at_day(days_ago: int) -> Any:
    """Within it is noon of so many days ago."""
    return clock_at(NOON - timedelta(days=days_ago))


def reviewed(visitor: SignIn, version: str, name: str = "Sample") -> str:
    """A case that was run, so that a decision can be proposed."""
    files = files_of(claims=[], recipe={"family": "logistic", "threshold": 0.5, "seed": 3})
    files["submission.yaml"] = files["submission.yaml"].replace(b"name: Sample", f"name: {name}".encode())
    return ran(visitor, version, ["profile", "holdout"], files)


def asked(due: date, what: str = "Collect a year of rows.", who: str = "") -> dict[str, str]:
    return {"what": what, "due": due.isoformat(), "who": who}


def approved(visitor: SignIn, base: str, *conditions: dict[str, str]) -> Any:
    """What the decision's page says once the case was approved, with these conditions."""
    kind = "approved_with_conditions" if conditions else "approved"
    body = proposal(kind=kind, conditions=list(conditions), despite="The rows are few.")
    answer = visitor("iris").ask("POST", f"{base}/decision", body)
    assert answer.status_code == 200, answer.text
    answer = countersigned(visitor("tom"), base, PASSWORD)
    assert answer.status_code == 200, answer.text
    return answer.json


def act(
    visitor: Visitor, base: str, what: str, text: str = "", *, number: int = 1, revision: int | None = None
) -> Answer:
    body = {"act": what, "revision": revision or condition_of(visitor, base, number)["revision"], "text": text}
    return visitor.ask("POST", f"{base}/conditions/{number}/acts", body)


def acted(visitor: Visitor, base: str, what: str, text: str = "", *, number: int = 1) -> Any:
    answer = act(visitor, base, what, text, number=number)
    assert answer.status_code == 200, answer.text
    return answer.json


def condition_of(visitor: Visitor, base: str, number: int = 1) -> Any:
    return visitor.get(f"{base}/decision")["approval"]["conditions"][number - 1]


def line_of(visitor: Visitor, base: str) -> Any:
    """The inventory's line of the case's model."""
    key = visitor.get(base)["model_key"]
    return next(line for line in visitor.get("/api/models")["models"] if line["key"] == key)


def page_of(visitor: Visitor, base: str) -> Any:
    return visitor.get(f"/api/models/{visitor.get(base)['model_key']}")


def waits(visitor: Visitor, base: str) -> list[tuple[str, int]]:
    return [(one["act"], one["count"]) for one in waiting(visitor, "condition") if one["case_id"] == number_of(base)]


def ending(visitor: Visitor, base: str) -> list[str]:
    return [one["waits"] for one in waiting(visitor, "approval") if one["case_id"] == number_of(base)]


def test_from_the_signature_to_met_and_seen(visitor: SignIn) -> None:
    base = reviewed(visitor, "conditions met", "Conditions met")
    due = today() + timedelta(days=90)
    page = approved(visitor, base, asked(due, who="Nell Farrow"), asked(due, "Name who watches it."))
    approval = page["approval"]
    assert approval["standing"] == "conditional"
    assert (approval["signed"], approval["until"]) == (
        today().isoformat(), today().replace(year=today().year + page["approved_years"]).isoformat()
    )  # fmt: skip
    assert [(one["who"], one["state"], one["due"]) for one in approval["conditions"]] == [
        ("Nell Farrow", "open", due.isoformat()), ("", "open", due.isoformat()),
    ]  # fmt: skip
    assert page["statement"]["conditions"] == [
        {"what": "Collect a year of rows.", "due": due.isoformat(), "who": "Nell Farrow"},
        {"what": "Name who watches it.", "due": due.isoformat()},
    ]
    nell, iris, tom = visitor("nell"), visitor("iris"), visitor("tom")
    assert waits(nell, base) == [("send", 2)]
    assert waits(iris, base) == waits(tom, base) == []
    sent = acted(nell, base, "send", "The rows of a year are in the table.")
    entry = sent["conditions"][0]["entries"][-1]
    assert entry["takes_files"]
    address = f"{base}/conditions/1/entries/{entry['id']}/files"
    answer = nell.ask("POST", address, data={"file": (io.BytesIO(b"a,b\n1,2\n"), "rows.csv")})
    assert answer.status_code == 200, answer.text
    (file,) = answer.json["conditions"][0]["entries"][-1]["files"]
    kept = iris.ask("GET", f"{address}/{file['id']}")
    assert kept.data == b"a,b\n1,2\n"
    assert kept.headers["Content-Security-Policy"] == "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    again = nell.ask("POST", address, data={"file": (io.BytesIO(b"c"), "rows.csv")})
    assert again.status_code == 422
    assert iris.ask("POST", address, data={"file": (io.BytesIO(b"c"), "mine.csv")}).status_code == 403
    assert waits(iris, base) == [("meet", 1)]
    acted(iris, base, "turn_down", "Half a year is missing.")
    acted(nell, base, "send", "Here is the other half.")
    acted(iris, base, "meet", "All twelve months are there.")
    assert waits(tom, base) == [("see", 1)]
    acted(tom, base, "send_back", "Which months were read?")
    acted(iris, base, "meet", "Each of the twelve.")
    acted(tom, base, "see")
    assert condition_of(iris, base)["state"] == "seen"
    assert (line_of(nell, base)["standing"], line_of(nell, base)["conditions"]) == ("conditional", 1)
    assert line_of(nell, base)["newest"]["stands"] == "approved, 1 of 2 conditions met"
    acted(iris, base, "meet", "Nell told me by word.", number=2)
    assert (line_of(nell, base)["standing"], line_of(nell, base)["conditions"]) == ("in_force", 0)
    assert [entry.act for entry in entries_of(base, "%condition%")] == [
        "sent evidence for a condition", "sent a file about a condition", "judged a condition not met",
        "sent evidence for a condition", "judged a condition met", "sent a condition back to be judged",
        "judged a condition met", "saw that a condition is met", "judged a condition met",
    ]  # fmt: skip
    turned_down = entries_of(base, "judged a condition not met")[0]
    assert turned_down.subject == "1: Collect a year of rows."
    assert json.loads(turned_down.before) == {"state": "sent"}
    assert json.loads(turned_down.after) == {"state": "open", "text": "Half a year is missing."}
    events = [event["what"] for event in page_of(nell, base)["events"]]
    assert events[:3] == ["submitted", "approved with conditions, countersigned", "condition 1: sent evidence"]
    assert events[-1] == "condition 2: judged that it is met"


def test_server_table_and_buttons_agree_for_every_state_act_and_person(visitor: SignIn) -> None:
    base = reviewed(visitor, "conditions table", "Conditions table")
    approved(visitor, base, asked(today() + timedelta(days=30)))
    parts: dict[str, set[Part]] = {"nell": {"owner"}, "iris": {"reviewer"}, "tom": {"countersigner"}, "ada": set()}
    people = {login: visitor(login) for login in parts}
    for state, login in product(STATES, parts):
        put(base, state)
        shown = condition_of(people[login], base)
        assert shown["may"] == list(LIFE.acts_of(state, parts[login], "decided")), (state, login)
        for what in ACTS:
            answer = act(people[login], base, what, "Said.", revision=put(base, state))
            expected = 200 if LIFE.may(what, state, parts[login], "decided") else 403
            assert answer.status_code == expected, (state, what, login, answer.text)
            if expected == 403:
                assert stored(base).state == state
    assert act(people["nell"], base, "explode", "x", revision=1).status_code == 422
    put(base, "open")


def put(base: str, state: ConditionState) -> int:
    """Puts the first condition into that state; its revision."""
    with transaction() as session:
        condition = _first(session, base)
        condition.state = state
        return condition.revision


def stored(base: str) -> ApprovalCondition:
    with transaction() as session:
        return _first(session, base)


def _first(session: Session, base: str) -> ApprovalCondition:
    return session.query(Approval).filter_by(case_id=number_of(base)).one().conditions[0]


def test_the_second_of_two_is_told_and_an_act_without_words_is_refused(visitor: SignIn) -> None:
    base = reviewed(visitor, "conditions twice", "Conditions twice")
    approved(visitor, base, asked(today() + timedelta(days=30)))
    nell, iris = visitor("nell"), visitor("iris")
    seen = condition_of(iris, base)
    acted(nell, base, "send", "Done.")
    late = act(iris, base, "meet", "He told me.", revision=seen["revision"])
    assert late.status_code == 409
    assert "changed since" in late.json["detail"]
    for who, what in ((iris, "turn_down"), (iris, "meet"), (nell, "send"), (nell, "comment")):
        answer = act(who, base, what, "  ")
        assert (answer.status_code, answer.json["detail"]) == (422, "Nothing is said with it.")
    assert condition_of(iris, base)["state"] == "sent"
    assert act(nell, base, "send", "Which?", number=2, revision=1).status_code == 404
    assert (
        visitor("wren").ask("POST", f"{base}/conditions/1/acts", {"act": "comment", "revision": 1}).status_code == 404
    )


def test_who_was_made_a_member_sees_no_condition_as_a_countersigner(visitor: SignIn) -> None:
    with transaction() as session:
        add_person(session, "cleo", "Cleo Marsh", PASSWORD, ("owner", "countersigner"))
    base = reviewed(visitor, "conditions member", "Conditions member")
    approved(visitor, base, asked(today() + timedelta(days=30)))
    acted(visitor("iris"), base, "meet", "I looked myself.")
    assert "see" in condition_of(visitor("cleo"), base)["may"]
    key = visitor("nell").get(base)["model_key"]
    assert visitor("nell").ask("POST", f"/api/models/{key}/members", {"login": "cleo"}).status_code == 200
    assert condition_of(visitor("cleo"), base)["may"] == ["comment"]
    assert act(visitor("cleo"), base, "see").status_code == 403


def test_a_condition_names_one_of_the_models_people_or_nobody(visitor: SignIn) -> None:
    base = reviewed(visitor, "conditions named", "Conditions named")
    body = proposal(
        kind="approved_with_conditions", despite="Few rows.", conditions=[asked(today(), who="Tom Aldous")]
    )  # fmt: skip
    answer = visitor("iris").ask("POST", f"{base}/decision", body)
    assert answer.status_code == 422
    assert answer.json["detail"].startswith("Tom Aldous does not belong to the model")
    page = approved(visitor, base, asked(today()))
    assert page["approval"]["conditions"][0]["who"] == ""
    assert page["answerable"] == ["Nell Farrow", "Makers"]
    # A signed approval without anybody's name is the same text that earlier programs signed.
    assert "who" not in json.dumps(page["statement"]["conditions"])


def test_an_approval_without_conditions_has_none_to_act_on(visitor: SignIn) -> None:
    base = reviewed(visitor, "no conditions", "No conditions")
    answer = act(visitor("nell"), base, "send", "x", revision=1)
    assert answer.status_code == 404
    page = approved(visitor, base)
    assert page["approval"]["conditions"] == []
    assert page["approval"]["why"] == f"approved until {date.fromisoformat(page['approval']['until']):%-d %b %Y}"
    assert act(visitor("nell"), base, "send", "x", revision=1).status_code == 404


@pytest.mark.usefixtures("no_housekeeping")
def test_a_year_of_an_approval_by_a_clock_that_is_passed_in(visitor: SignIn) -> None:
    """Approved with two conditions, one met, one sent too late: told beforehand, lapsed, and said so from then on."""
    from brookfall.desk.approvals import tell_what_is_due

    base = reviewed(visitor, "a year", "A year of it")
    with at_day(500):
        signed = today()
    first, second = signed + timedelta(days=100), signed + timedelta(days=200)
    with at_day(500):
        approved(visitor, base, asked(first), asked(second, "Name who watches it."))
        assert visitor("iris").get(f"{base}/decision")["approval"]["signed"] == signed.isoformat()
        assert ending(visitor("nell"), base) == []
    with at_day(410):
        nell = visitor("nell")
        assert ending(visitor("iris"), base) == [f"is conditional: condition 1 is due on {first:%-d %b %Y}"]
        assert ending(nell, base) == [], "it waits for her evidence, which is told as that"
        assert waits(nell, base) == [("send", 2)]
        assert ending(visitor("tom"), base) == []
        tell_what_is_due()
        tell_what_is_due()
        acted(nell, base, "send", "Collected.")
        assert ending(nell, base) == []
    with at_day(350):
        # Sent in time, and judged by nobody yet: that holds the approval past the condition's date.
        assert line_of(visitor("nell"), base)["standing"] == "conditional"
        acted(visitor("iris"), base, "meet", "A year of rows is there.")
    with at_day(310):
        tell_what_is_due()
        assert line_of(visitor("nell"), base)["standing"] == "conditional"
    with at_day(299):
        tell_what_is_due()
        line = line_of(visitor("nell"), base)
        assert (line["standing"], line["review"]) == ("lapsed", None)
        assert line["why"] == f"condition 2 was due on {second:%-d %b %Y} and was not met in time"
        assert (line["counts"], line["newest"]["stands"]) == ("a year", "approved, lapsed")
        assert ending(visitor("iris"), base) == ending(visitor("nell"), base) == [f"has lapsed: {line['why']}"]
        acted(visitor("nell"), base, "send", "Iris's team.", number=2)
        acted(visitor("iris"), base, "meet", "Late, but so it is.", number=2)
        page = page_of(visitor("nell"), base)
        assert page["standing"] == "lapsed", "what comes late brings nothing back"
        assert [(one["day"], one["by"]) for one in page["events"] if one["what"].startswith("lapsed")] == [
            ((second + timedelta(days=1)).isoformat(), None)
        ]
        refused = visitor("nell").ask("PUT", f"/api/models/{page['key']}/in-use", {"version": "a year"})
        assert refused.status_code == 422
        assert "is approved no more, as condition 2 was due" in refused.json["detail"]
        assert page["approved"] == []
    by_the_clock = [one for one in entries_of(base, "%") if one.who == "Brookfall" and '"about"' in one.after]
    assert [(one.act, json.loads(one.after)["about"], one.at.date()) for one in by_the_clock] == [
        ("told of a date to come", "condition 1, 14", signed + timedelta(days=90)),
        ("told of a date to come", "condition 2, 14", signed + timedelta(days=190)),
        ("an approval lapsed", "lapsed", signed + timedelta(days=201)),
    ]
    with transaction() as session:
        assert verify_everything(session).fault is None


def test_the_next_version_supersedes_and_the_owner_says_which_is_in_use(visitor: SignIn) -> None:
    one = reviewed(visitor, "first of two", "Two versions")
    approved(visitor, one)
    two = reviewed(visitor, "second of two", "Two versions")
    approved(visitor, two)
    nell = visitor("nell")
    page = page_of(nell, one)
    key = page["key"]
    by_version = {version["line"]["version"]: version for version in page["versions"]}
    assert by_version["first of two"]["standing"] == "superseded"
    assert by_version["second of two"]["standing"] == "in_force"
    assert sorted(page["approved"]) == ["first of two", "second of two"]
    page = nell.ask("PUT", f"/api/models/{key}/in-use", {"version": "first of two"}).json
    by_version = {version["line"]["version"]: version for version in page["versions"]}
    assert by_version["first of two"]["standing"] == "in_force"
    assert by_version["second of two"]["why"] == "version first of two is in use"
    assert (page["counts"], page["why"][:15]) == ("first of two", "approved until ")


def test_a_lapsed_version_that_another_superseded_can_not_be_put_into_use(visitor: SignIn) -> None:
    one = reviewed(visitor, "lapsed first", "Lapsed and superseded")
    with at_day(500):
        approved(visitor, one, asked(today() + timedelta(days=30)))
    approved(visitor, reviewed(visitor, "second", "Lapsed and superseded"))
    page = page_of(visitor("nell"), one)
    assert {version["line"]["version"]: version["standing"] for version in page["versions"]} == {
        "lapsed first": "superseded", "second": "in_force",
    }  # fmt: skip
    assert page["approved"] == ["second"]
    refused = visitor("nell").ask("PUT", f"/api/models/{page['key']}/in-use", {"version": "lapsed first"})
    assert (refused.status_code, "is approved no more" in refused.json["detail"]) == (422, True)
    # Nor does the decision's own page say that what was superseded is in force.
    assert visitor("nell").get(f"{one}/decision")["approval"]["standing"] == "superseded"


def test_the_owner_withdraws_a_model_and_takes_it_up_again(visitor: SignIn) -> None:
    base = reviewed(visitor, "to be withdrawn", "Withdrawn")
    approved(visitor, base)
    nell = visitor("nell")
    key = nell.get(base)["model_key"]
    address = f"/api/models/{key}/withdrawal"
    assert nell.ask("PUT", f"/api/models/{key}/in-use", {"version": "to be withdrawn"}).status_code == 200
    assert visitor("iris").ask("PUT", address, {"reason": "Mine."}).status_code == 403
    assert nell.ask("PUT", address, {"reason": "  "}).status_code == 422
    assert nell.ask("PUT", address, {"reason": None}).status_code == 422
    page = nell.ask("PUT", address, {"reason": "The service has ended."}).json
    assert (page["standing"], page["in_use"], page["withdrawn_why"]) == ("withdrawn", None, "The service has ended.")
    assert page["versions"][0]["standing"] == "withdrawn"
    assert page["events"][-1]["what"] == "withdrawn: The service has ended."
    assert nell.ask("PUT", address, {"reason": "Again."}).status_code == 422
    assert nell.ask("PUT", f"/api/models/{key}/in-use", {"version": "to be withdrawn"}).status_code == 422
    page = nell.ask("PUT", address, {"reason": None}).json
    assert (page["standing"], page["withdrawn"], page["approved"]) == ("in_force", None, ["to be withdrawn"])


def test_the_inventory_asks_a_fixed_number_of_statements(visitor: SignIn) -> None:
    from sqlalchemy import event

    from brookfall.records.database import engine

    counted: list[str] = []

    def count(*args: Any) -> None:
        counted.append(str(args[2]))

    tom = visitor("tom")
    assert len(tom.get("/api/models")["models"]) > 5
    event.listen(engine(), "before_cursor_execute", count)
    try:
        tom.get("/api/models")
    finally:
        event.remove(engine(), "before_cursor_execute", count)
    assert len(counted) < 30, len(counted)
