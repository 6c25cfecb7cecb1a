"""A finding from its draft to its end: who sees it, who answers, who closes it, and what stands in the record."""

import io
import json
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, date, datetime, timedelta
from itertools import product
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.words import FINDING_ACTS
from brookfall.core.foundation.errors import ForbiddenError, UserError
from brookfall.core.judge.case_life import STATES as CASE_STATES
from brookfall.core.judge.finding_life import ACTS, LIFE, STATES, FindingAct, FindingState
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.clock import clock_at
from brookfall.records.config import today
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Finding
from brookfall.records.people import Person
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, rendered, waiting
from tests.api.test_case import SignIn, proposal, ran, taken
from tests.conftest import files_of

TEXT = {"severity": 3, "title": "It leans", "what": "Exhibit 2 says so.", "cites": []}


def written(iris: Visitor, base: str, *, draft: bool = False, **changes: Any) -> Any:
    answer = iris.ask("POST", f"{base}/findings", {"finding": {**TEXT, **changes}, "draft": draft})
    assert answer.status_code == 200, answer.text
    return answer.json


def act(visitor: Visitor, base: str, finding: Any, what: str, **said: Any) -> Answer:
    body = {"act": what, "revision": finding["revision"], **said}
    return visitor.ask("POST", f"{base}/findings/{finding['id']}/acts", body)


def acted(visitor: Visitor, base: str, finding: Any, what: str, **said: Any) -> Any:
    answer = act(visitor, base, finding, what, **said)
    assert answer.status_code == 200, answer.text
    return answer.json


def send_file(visitor: Visitor, base: str, finding: Any, name: str, data: bytes) -> Answer:
    address = f"{base}/findings/{finding['id']}/entries/{finding['entries'][-1]['id']}/files"
    return visitor.ask("POST", address, data={"file": (io.BytesIO(data), name)})


def seen(visitor: Visitor, base: str) -> dict[int, Any]:
    return {one["number"]: one for one in visitor.get(f"{base}/findings")}


def entries_of(base: str, like: str) -> list[RecordEntry]:
    with transaction() as session:
        case_id = int(base.rsplit("/", 1)[1])
        query = select(RecordEntry).where(RecordEntry.case_id == case_id, RecordEntry.act.like(like))
        return list(session.scalars(query.order_by(RecordEntry.id)))


def test_a_draft_is_the_reviewers_alone_until_it_is_sent(visitor: SignIn) -> None:
    iris, base = taken(visitor, "drafted finding")
    draft = written(iris, base, draft=True)
    assert draft["state"] == "draft"
    assert draft["may"] == ["change", "send", "withdraw"]
    for login in ("nell", "tom", "ada"):
        assert seen(visitor(login), base) == {}
        assert act(visitor(login), base, draft, "comment", text="Seen.").status_code in (403, 404)
    assert iris.get(base)["findings"] == 0
    # Nor does the record say what is in it, which the owner reads too, before it is sent.
    changed = {"revision": draft["revision"], "finding": {**TEXT, "title": "It leans a little"}}
    draft = iris.ask("PUT", f"{base}/findings/{draft['id']}", changed).json
    unsent = written(iris, base, draft=True, title="It leans far")
    acted(iris, base, unsent, "withdraw")
    assert seen(iris, base)[2]["state"] == "withdrawn"
    for login in ("nell", "tom", "ada"):
        assert seen(visitor(login), base) == {}
    kept = entries_of(base, "%finding%")
    assert [(one.act, one.subject) for one in kept] == [
        ("drafted a finding", "1"), ("changed a finding", "1"), ("drafted a finding", "2"), ("withdrew a finding", "2"),
    ]  # fmt: skip
    assert not any("leans" in f"{one.subject}{one.before}{one.after}" for one in kept)
    sent = acted(iris, base, draft, "send")
    (said,) = entries_of(base, "sent a finding")
    assert (said.subject, json.loads(said.after)["what"]) == ("1: It leans a little", TEXT["what"])
    assert sent["state"] == "open"
    assert [one["act"] for one in sent["entries"]] == ["send"]
    assert seen(visitor("nell"), base)[1]["may"] == ["answer", "comment"]
    assert iris.get(base)["findings"] == 1


def test_from_open_to_closed_with_every_word_kept(visitor: SignIn) -> None:
    iris, base = taken(visitor, "whole life of a finding")
    nell, tom = visitor("nell"), visitor("tom")
    finding = written(iris, base)
    (mine,) = [one for one in waiting(nell, "finding") if base.endswith(f"/{one['case_id']}")]
    assert (mine["version"], mine["act"], mine["count"], mine["place"]) == (
        "whole life of a finding", "answer", 1, "findings",
    )  # fmt: skip
    finding = acted(nell, base, finding, "answer", answer="disputes", text="The rows are those of one station.")
    assert (finding["state"], finding["entries"][-1]["answer"]) == ("answered", "disputes")
    case_id = int(base.rsplit("/", 1)[1])
    waits = [(one["case_id"], one["act"]) for one in waiting(iris, "finding")]
    assert (case_id, "close") in waits
    finding = acted(iris, base, finding, "reopen", text="It holds at every station.")
    finding = acted(nell, base, finding, "answer", answer="mended", version="1.1", text="Fitted without it.")
    answer = send_file(nell, base, finding, "proof.txt", b"Fitted anew.")
    assert answer.status_code == 200, answer.text
    (file,) = answer.json["entries"][-1]["files"]
    assert (file["path"], file["size"]) == ("proof.txt", 12)
    entry = answer.json["entries"][-1]["id"]
    kept = iris.ask("GET", f"{base}/findings/{finding['id']}/entries/{entry}/files/{file['id']}")
    assert kept.data == b"Fitted anew."
    assert kept.headers["Content-Security-Policy"] == "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    finding = acted(tom, base, answer.json, "comment", text="I have read it.")
    finding = acted(iris, base, finding, "close", text="The new fit keeps the limit.")
    assert finding["state"] == "closed"
    assert [(one["by"].split()[0], one["act"]) for one in finding["entries"]] == [
        ("Nell", "answer"), ("Iris", "reopen"), ("Nell", "answer"), ("Tom", "comment"), ("Iris", "close"),
    ]  # fmt: skip
    assert iris.get(base)["findings"] == 0
    told = [entry.act for entry in entries_of(base, "%finding%")]
    assert told == [
        "wrote a finding", "answered a finding", "reopened a finding", "answered a finding",
        "sent a file about a finding", "commented on a finding", "closed a finding",
    ]  # fmt: skip
    closed = entries_of(base, "closed a finding")[0]
    assert json.loads(closed.before) == {"state": "answered"}
    assert json.loads(closed.after) == {"state": "closed", "text": "The new fit keeps the limit."}


SAYS_TOO_LITTLE = {
    "an answer that is none": ("answer", {}, "what the answer is"),
    "a dispute without reasons": ("answer", {"answer": "disputes", "text": "  "}, "says why"),
    "mended in no version": ("answer", {"answer": "mended", "text": "Done."}, "which version"),
    "a version with agreement": ("answer", {"answer": "agrees", "version": "2"}, "No version"),
    "closed without a reason": ("close", {}, "says why"),
    "withdrawn without a reason": ("withdraw", {"text": " \n "}, "says why"),
    "a risk without a date": ("accept", {"text": "Small."}, "until a date"),
    "a risk until yesterday": ("accept", {"text": "Small.", "until": "2020-01-01"}, "1 Jan 2020 is past"),
    "closed until a date": ("close", {"text": "Done.", "until": "2099-01-01"}, "takes a date"),
    "closed with an answer": ("close", {"text": "Done.", "answer": "agrees"}, "owner's answer"),
    "an empty comment": ("comment", {}, "says why"),
}
_BY = {"answer": "nell", "accept": "tom"}


def test_what_an_act_needs_is_asked_for_and_nothing_is_changed(visitor: SignIn) -> None:
    iris, base = taken(visitor, "says too little")
    finding = written(iris, base)
    for what, (does, said, words) in SAYS_TOO_LITTLE.items():
        answer = act(visitor(_BY.get(does, "iris")), base, finding, does, **said)
        assert answer.status_code == 422, what
        assert words in answer.json["detail"], what
    assert seen(iris, base)[1] == finding
    strange = act(iris, base, finding, "explode", text="x")
    assert strange.status_code == 422


def test_the_second_of_two_is_told(visitor: SignIn) -> None:
    iris, base = taken(visitor, "two at one finding")
    finding = written(iris, base)
    acted(visitor("nell"), base, finding, "answer", answer="agrees")
    late = act(iris, base, finding, "close", text="No answer came.")
    assert late.status_code == 409
    assert "changed since" in late.json["detail"]
    assert seen(iris, base)[1]["state"] == "answered"
    edited = iris.ask("PUT", f"{base}/findings/{finding['id']}", {"revision": finding["revision"], "finding": TEXT})
    assert edited.status_code == 409


def test_a_risk_is_accepted_until_its_date_and_then_open_again(
    visitor: SignIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    from brookfall.desk import finding_life

    iris, base = taken(visitor, "accepted risk")
    last = today() + timedelta(days=3)
    finding = written(iris, base)
    finding = acted(visitor("tom"), base, finding, "accept", text="Few are concerned.", until=str(last))
    assert (finding["state"], finding["until"]) == ("accepted", str(last))
    assert iris.get(base)["findings"] == 0
    finding_life.reopen_what_is_due()
    monkeypatch.setattr(finding_life, "today", lambda: last)
    finding_life.reopen_what_is_due()
    assert seen(iris, base)[1]["state"] == "accepted"
    monkeypatch.setattr(finding_life, "today", lambda: last + timedelta(days=1))
    finding_life.reopen_what_is_due()
    finding_life.reopen_what_is_due()
    now = seen(iris, base)[1]
    assert (now["state"], now["until"]) == ("open", None)
    assert [(one["act"], one["by"]) for one in now["entries"]][1:] == [("reopen", None)]
    assert f"{last:%-d %b %Y}" in now["entries"][-1]["text"]
    (entry,) = entries_of(base, "reopened a finding")
    assert entry.person_id is None


def test_files_belong_to_what_one_said_last(visitor: SignIn) -> None:
    iris, base = taken(visitor, "files of findings")
    nell = visitor("nell")
    finding = acted(nell, base, written(iris, base), "answer", answer="agrees")
    assert finding["entries"][-1]["takes_files"] is True
    assert seen(iris, base)[1]["entries"][-1]["takes_files"] is False
    assert send_file(iris, base, finding, "mine.txt", b"x").status_code == 403
    assert send_file(nell, base, finding, "empty.txt", b"").status_code == 422
    assert send_file(nell, base, finding, "a.txt", b"one").status_code == 200
    again = send_file(nell, base, finding, "../a.txt", b"two")
    assert again.status_code == 422
    assert "sent already" in again.json["detail"]
    acted(iris, base, finding, "comment", text="Thank you.")
    assert send_file(nell, base, finding, "b.txt", b"three").status_code == 403
    address = f"{base}/findings/{finding['id']}/entries/{finding['entries'][-1]['id']}/files"
    assert nell.ask("POST", address).status_code == 422
    assert nell.ask("GET", f"{address}/0").status_code == 404


SENT: dict[FindingAct, dict[str, Any]] = {
    "answer": {"answer": "agrees"},
    "accept": {"until": "2099-01-01"},
}


class NothingRunError(Exception):
    """A retest was refused because nothing was run, and so of nobody's part in it."""


def retested(session: Session, person: Person, case_id: int, finding: Finding) -> None:
    from brookfall.desk.retests import enter_retest

    try:
        enter_retest(session, person, case_id, finding.id, finding.revision, None)
    except UserError as problem:
        if "Nothing was run" in str(problem):
            raise NothingRunError from problem
        raise


def test_what_the_page_offers_is_what_the_server_lets_through(visitor: SignIn) -> None:
    """Every state of a finding × of its case × act × person: allowed exactly where ``may`` says so."""
    from brookfall.desk.finding_life import FindingDone, act_on
    from brookfall.desk.findings import FindingText, edit, finding_view
    from brookfall.desk.said import parts_of

    iris, base = taken(visitor, "offered and let through")
    finding_id, case_id = written(iris, base)["id"], int(base.rsplit("/", 1)[1])
    wrong: list[str] = []
    tried = 0
    with transaction() as session:
        people = {one.login: one for one in session.scalars(select(Person))}
        logins = ("iris", "nell", "tom", "ada", "wren")
        case, finding = session.get_one(Case, case_id), session.get_one(Finding, finding_id)
        for state, of_case, login in product(STATES, CASE_STATES, logins):
            finding.state, case.state = state, of_case
            session.flush()
            person = people[login]
            shown: list[FindingAct] = []
            if login != "wren":
                shown = finding_view(session, person, finding).may
            for does in ACTS:
                expected = LIFE.may(does, state, parts_of(person, case), of_case)
                held = session.begin_nested()
                try:
                    if does == "change":
                        edit(session, person, case_id, finding_id, FindingText(**TEXT), finding.revision)
                    elif does == "retest":
                        # Who may is refused otherwise: nothing was run here.
                        with suppress(NothingRunError):
                            retested(session, person, case_id, finding)
                    else:
                        said = {"act": does, "revision": finding.revision, "text": "Why.", **SENT.get(does, {})}
                        act_on(session, person, case_id, finding_id, FindingDone(**said))
                    done: bool | str = True
                except (ForbiddenError, LookupError):
                    done = False
                except Exception as problem:  # noqa: BLE001 - told below, with what it was about
                    done = type(problem).__name__ != "MissingError" and f"{problem!r}"
                held.rollback()
                session.expire_all()
                tried += 1
                if done != expected or (does in shown) != expected:
                    wrong.append(f"{login} {does} {state} in {of_case}: {done}, offered {does in shown}")
        session.rollback()
    assert tried == len(STATES) * len(CASE_STATES) * len(logins) * len(ACTS)
    assert not wrong, "\n".join(wrong)


def test_a_decision_waits_for_drafts_and_tells_what_was_said(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "findings in a decision", ["profile", "holdout"], files_of(claims=[]))
    iris, nell = visitor("iris"), visitor("nell")
    one = written(iris, base, title="Skewed groups", severity=4)
    two = written(iris, base, draft=True, title="A thought")
    three = written(iris, base, title="A slip")
    assert iris.get(f"{base}/decision")["blockers"] == ["Finding 2 is a draft: send it to the owner, or withdraw it."]
    refused = iris.ask("POST", f"{base}/decision", proposal())
    assert refused.status_code == 422
    acted(iris, base, two, "withdraw")
    acted(nell, base, one, "answer", answer="agrees", text="We shall see to it.")
    acted(iris, base, three, "close", text="Read wrongly.")
    page = iris.get(f"{base}/decision")
    assert page["blockers"] == []
    assert [(each["number"], each["state"]) for each in page["findings"]] == [(1, "answered"), (3, "closed")]
    assert any("Finding 1 is critical" in line for line in page["needs_reason"])
    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 200
    # While it is proposed, findings are spoken of and nothing else.
    assert seen(iris, base)[1]["may"] == ["comment"]
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    report = rendered(iris, base).text
    assert "We shall see to it." in report
    assert "Read wrongly." in report
    assert "A thought" not in report
    # What was signed stays; what is done about a finding afterwards stands beside it.
    signed = iris.get(f"{base}/decision")["statement_sha256"]
    now = seen(nell, base)[1]
    assert now["may"] == ["answer", "comment"]
    now = acted(nell, base, now, "answer", answer="mended", version="2.0", text="Mended.")
    acted(iris, base, now, "close", text="Shown in 2.0.")
    after = iris.get(f"{base}/decision")
    assert after["statement_sha256"] == signed
    assert [(each["number"], each["state"]) for each in after["findings"]] == [(1, "closed"), (3, "closed")]
    edited = iris.ask("PUT", f"{base}/findings/{one['id']}", {"revision": 9, "finding": TEXT})
    assert edited.status_code == 403


def test_who_accepted_a_risk_is_never_made_a_member(visitor: SignIn) -> None:
    with transaction() as session:
        if session.scalar(select(Person).where(Person.login == "uma")) is None:
            add_person(session, "uma", "Uma Field", PASSWORD, ("owner", "countersigner"))
    iris, base = taken(visitor, "accepted by one who may own")
    acted(visitor("uma"), base, written(iris, base), "accept", text="Small.", until=str(date(2099, 1, 1)))
    key = iris.get(base)["model_key"]
    refused = visitor("nell").ask("POST", f"/api/models/{key}/members", {"login": "uma"})
    assert refused.status_code == 422
    assert "two roles" in refused.json["detail"]


def test_every_act_is_said_in_words_of_the_page(visitor: Callable[[str], Visitor]) -> None:
    words = visitor("iris").get("/api/vocabulary")
    assert words["finding_acts"] == FINDING_ACTS
    states: tuple[FindingState, ...] = STATES
    assert set(words["finding_states"]) == set(states)


def test_an_owner_answers_by_the_day_of_the_policy(visitor: SignIn) -> None:
    iris, base = taken(visitor, "answered by a day")
    by = (today() + timedelta(days=14)).isoformat()
    assert written(iris, base, due=None)["answer_by"] == by
    finding = written(iris, base, draft=True, due=None)
    assert finding["answer_by"] is None
    finding = acted(iris, base, finding, "send")
    assert (finding["answer_by"], finding["overdue"]) == (by, False)
    nell = visitor("nell")
    (item,) = [one for one in waiting(nell, "finding") if base.endswith(f"/{one['case_id']}")]
    assert (item["count"], item["due"]) == (2, by)
    with clock_at(datetime.now(UTC) + timedelta(days=3)):
        commented = acted(visitor("nell"), base, finding, "comment", text="Which rows?")
    assert commented["answer_by"] == by
    with clock_at(datetime.now(UTC) + timedelta(days=20)):
        assert seen(visitor("iris"), base)[2]["overdue"] is True
    answered = acted(nell, base, commented, "answer", answer="agrees", text="So it is.")
    assert (answered["answer_by"], answered["overdue"]) == (None, False)
    with clock_at(datetime.now(UTC) + timedelta(days=5)):
        again = acted(visitor("iris"), base, answered, "reopen", text="It is not mended.")
    assert again["answer_by"] == (today() + timedelta(days=19)).isoformat()
