"""Every operation on a case × every kind of person × every state of a case: who is let through, and who is not."""

import io
from collections.abc import Callable, Iterator
from datetime import date
from typing import Any

import pytest
from flask import Flask
from sqlalchemy import select

from brookfall.api.app import description
from brookfall.core.judge.case_life import STATES, CaseState
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.launch.house import House
from brookfall.records import blobs
from brookfall.records.approvals import Approval, ApprovalCondition, ConditionEntry, ConditionFile
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.people import Person
from brookfall.records.questions import OwnerQuestion, OwnerQuestionEntry, OwnerQuestionFile
from brookfall.records.retests import Retest
from brookfall.records.runs import Run
from tests.api.conftest import Answer, Visitor
from tests.api.test_case import SignIn, proposal, ran
from tests.api.test_statements import attach, write
from tests.conftest import files_of

PEOPLE = {
    "nell": "the owner of the case",
    "carl": "a member of its model",
    "elsa": "an owner of others",
    "iris": "its reviewer",
    "tom": "another reviewer, who countersigns",
    "ada": "an auditor",
    "wren": "an administrator",
}
HIDDEN = "There is no such case, or it is not yours to see."

SEE = frozenset({"nell", "carl", "iris", "tom", "ada"})
"""Who may read a case, in every state."""
REVIEWERS = frozenset({"iris", "tom"})

FINDING = {"severity": 2, "title": "Skewed", "what": "See exhibit.", "cites": []}
STATEMENT = {
    "name": "", "question": 7, "title": "Another", "judgement": "It is.", "standing": "within", "reason": "Known.",
}  # fmt: skip

BODIES: dict[tuple[str, str], Any] = {
    ("POST", "/behind"): {"behind": {"model": "recipe", "part": "test", "threshold": 0.5}},
    ("PUT", "/changes"): {"revision": 0, "changes": []},
    ("POST", "/changes/effect"): {"changes": []},
    ("POST", "/conditions/{number}/acts"): {"act": "comment", "revision": 0, "text": "Seen."},
    ("POST", "/countersignature"): {"accept": False, "comment": "", "password": PASSWORD},
    ("POST", "/decision"): proposal(kind="returned_for_rework"),
    ("POST", "/deviation"): {"reason": "Another seed."},
    ("POST", "/exhibits/{number}/regrouped"): {},
    ("POST", "/findings"): {"finding": FINDING},
    ("POST", "/findings/{finding_id}/acts"): {"act": "comment", "revision": 0, "text": "Seen."},
    ("PUT", "/findings/{finding_id}"): {"revision": 0, "finding": FINDING},
    ("POST", "/findings/{finding_id}/retest"): {"revision": 0},
    ("POST", "/handling"): {"act": "prioritise", "reason": "", "priority": "low"},
    ("PUT", "/margin"): {"text": "A note.", "set_aside": []},
    ("POST", "/marks"): {"marks": []},
    ("POST", "/house-plans"): {"name": "A plan for all"},
    ("POST", "/overrulings"): {"exhibit": 99, "taken_as": "near", "reason": "One storm."},
    ("PUT", "/plan"): None,
    ("PUT", "/plan/name"): {"name": "", "note": ""},
    ("POST", "/questions"): {"text": "Which rows?"},
    ("POST", "/questions/{number}/acts"): {"act": "comment", "revision": 0, "text": "Seen."},
    ("POST", "/plan/file"): {"name": "plan.yaml", "text": "seed: 1"},
    ("PUT", "/roles"): None,
    ("POST", "/re-review"): {"reason": "A year has passed."},
    ("POST", "/rows"): {},
    ("POST", "/set-up"): {"case_id": None},
    ("POST", "/shared-notes"): {"text": "A note."},
    ("POST", "/statements"): {"statement": STATEMENT},
    ("PUT", "/statements/{statement_id}"): {"revision": 0, "statement": STATEMENT},
}
"""What is sent, where anything is; with revisions that are long past, so that nobody changes anything."""

QUERIES = {
    ("GET", "/behind/{form}"): "?model=recipe&part=test",
    ("GET", "/column"): "?name=x",
    ("GET", "/submitted"): "?path=data/rows.csv",
    ("DELETE", "/tables"): "?name=none",
    ("POST", "/statements/{statement_id}/files"): "?revision=0",
    ("DELETE", "/statements/{statement_id}/files/{file_id}"): "?revision=0",
}

FORMS = {
    "/behind/{form}": "csv",
    "/suspects/{form}": "csv",
    "/new-rows/{number}/{form}": "csv",
    "/exhibits/{number}/table/{form}": "csv",
    "/exhibits/{number}/trees/{tree}/{form}": "svg",
}
_SENT_WITH_WORDS = {
    ("POST", "/findings/{finding_id}/entries/{entry_id}/files"),
    ("POST", "/conditions/{number}/entries/{entry_id}/files"),
    ("POST", "/questions/{number}/entries/{entry_id}/files"),
}
WITH_A_FILE = {("POST", "/statements/{statement_id}/files"), *_SENT_WITH_WORDS}

OF_THE_REVIEWER = frozenset(
    {
        ("PUT", "/changes"), ("POST", "/decision"), ("POST", "/deviation"),
        ("DELETE", "/deviation"), ("POST", "/findings"), ("PUT", "/findings/{finding_id}"), ("POST", "/marks"),
        ("POST", "/overrulings"), ("DELETE", "/overrulings/{overruling_id}"),
        ("PUT", "/plan"), ("PUT", "/plan/name"), ("POST", "/set-up"), ("POST", "/questions"), ("PUT", "/roles"), ("POST", "/run"), ("DELETE", "/run"),
        ("POST", "/statements"),
        ("PUT", "/statements/{statement_id}"), ("POST", "/statements/{statement_id}/files"),
        ("DELETE", "/statements/{statement_id}/files/{file_id}"), ("DELETE", "/tables"),
    }
)  # fmt: skip
"""What changes a case under review: the act of who reviews it, while it is in review, and of nobody else."""


_REVIEWED = frozenset({"in_review", "proposed", "decided"})


def let_through(operation: tuple[str, str], state: str) -> frozenset[str]:
    """Who may do what in which state, by what the words of the product say."""
    if operation in OF_THE_REVIEWER:
        return frozenset({"iris"}) if state == "in_review" else frozenset()
    if operation == ("POST", "/take"):
        return REVIEWERS if state == "waiting" else frozenset()
    if operation == ("POST", "/handling"):
        # Another priority: that of a case that is open, by its reviewer or by who may countersign it.
        people = {"waiting": {"tom"}, "in_review": {"iris", "tom"}, "proposed": {"iris", "tom"}}
        return frozenset(people.get(state, ()))
    if operation == ("POST", "/countersignature"):
        return frozenset({"tom"}) if state == "proposed" else frozenset()
    if operation in (("POST", "/findings/{finding_id}/acts"), ("POST", "/questions/{number}/acts")):
        # Its comment is that of the people of the case, once there is a reviewer.
        return frozenset({"nell", "carl", "iris", "tom"}) if state in _REVIEWED else frozenset()
    if operation[1] == "/findings/{finding_id}/retest":
        # Its reviewer's, also after the decision.
        return frozenset({"iris"}) if state in ("in_review", "decided") else frozenset()
    if operation == ("POST", "/conditions/{number}/acts"):
        return frozenset({"nell", "carl", "iris", "tom"}) if state == "decided" else frozenset()
    if operation == ("POST", "/re-review"):
        return frozenset({"nell", "carl"}) | REVIEWERS
    if operation == ("POST", "/conditions/{number}/entries/{entry_id}/files"):
        return frozenset({"iris"}) if state == "decided" else frozenset()
    if operation in _SENT_WITH_WORDS:
        return frozenset({"iris"}) if state in _REVIEWED else frozenset()
    if operation[1] == "/exhibits/{number}/replay" and operation[0] != "GET":
        return REVIEWERS
    if operation == ("DELETE", "/new-rows/{number}"):
        return frozenset({"nell", "carl", "iris"})
    if operation in (("POST", "/shared-notes"), ("POST", "/house-plans")):
        return REVIEWERS
    return SEE


def operations() -> list[tuple[str, str]]:
    """Every operation on a case, by its method and what follows the case in its address."""
    described: dict[str, dict[str, Any]] = description()["paths"]
    start = "/api/cases/{case_id}"
    return [
        (method.upper(), path.removeprefix(start))
        for path, methods in described.items()
        if path.startswith(start)
        for method in methods
    ]


@pytest.fixture(scope="module")
def case(app: Flask, workers: House) -> Iterator[dict[str, str]]:
    """A case that was run, with a finding, a statement with a file, and a decision; its places by name, once made."""
    places: dict[str, str] = {}
    yield places
    # As it was entered in the record, which others verify.
    put_into(places["base"], "proposed")


def made(visitor: SignIn, case: dict[str, str]) -> dict[str, str]:
    if case:
        return case
    base = ran(visitor, "who may what", ["profile", "holdout"], files_of(claims=[]))
    iris = visitor("iris")
    finding = iris.ask("POST", f"{base}/findings", {"finding": FINDING}).json
    act = {"act": "comment", "revision": finding["revision"], "text": "Which rows?"}
    finding = iris.ask("POST", f"{base}/findings/{finding['id']}/acts", act).json
    entry = finding["entries"][-1]
    sent = {"file": (io.BytesIO(b"Those of May."), "rows.txt")}
    finding = iris.ask("POST", f"{base}/findings/{finding['id']}/entries/{entry['id']}/files", data=sent).json
    assert [one["path"] for one in finding["entries"][-1]["files"]] == ["rows.txt"]
    statement = write(iris, base).json
    file = attach(iris, base, statement, "minutes.txt", b"As agreed.").json["files"][0]
    others = finding["entries"][-1]["files"][0]
    assert iris.ask("POST", f"{base}/decision", proposal(kind="returned_for_rework", conditions=[])).status_code == 200
    with transaction() as session:
        for login, name in (("carl", "Carl Wade"), ("elsa", "Elsa Reed")):
            add_person(session, login, name, PASSWORD, ("owner",))
    condition = with_a_condition(base) | with_a_question(base) | with_a_retest(base, finding["id"])
    key = iris.get(base)["model_key"]
    assert visitor("nell").ask("POST", f"/api/models/{key}/members", {"login": "carl"}).status_code == 200
    case.update(
        base=base, number="1", finding_id=str(finding["id"]), statement_id=str(statement["id"]), overruling_id="1",
        template_id="1",
        entry_id=str(entry["id"]), file_id=str(file["id"]), said_file_id=str(others["id"]), tree="0", row="1",
        other_id=base.rsplit("/", 1)[1], **condition,
    )  # fmt: skip
    return case


def with_a_condition(base: str) -> dict[str, str]:
    """Puts an approval on the case's decision, with a condition of which the reviewer has said something, with a file;
    the places of both."""
    with transaction() as session:
        case_id = int(base.rsplit("/", 1)[1])
        iris = session.scalars(select(Person.id).where(Person.login == "iris")).one()
        decision = session.scalars(select(Decision).where(Decision.case_id == case_id)).one()
        kept = blobs.put(session, b"As agreed.")
        file = ConditionFile(path="agreed.txt", sha256=kept, added=now())
        entry = ConditionEntry(at=now(), person_id=iris, act="comment", text="By when?", files=[file])
        condition = ApprovalCondition(
            number=1, what="Watch it", due=date(2099, 1, 1), state="open", revision=1, entries=[entry]
        )
        session.add(
            Approval(
                decision_id=decision.id, case_id=case_id, signed=date(2098, 1, 1), until=date(2099, 1, 1),
                conditions=[condition],
            )
        )  # fmt: skip
        session.flush()
        return {"condition_entry_id": str(entry.id), "condition_file_id": str(file.id)}


def with_a_question(base: str) -> dict[str, str]:
    """Puts a question to the owner to the case, of which the reviewer has said something, with a file; their places."""
    with transaction() as session:
        case_id = int(base.rsplit("/", 1)[1])
        iris = session.scalars(select(Person.id).where(Person.login == "iris")).one()
        file = OwnerQuestionFile(path="agreed.txt", sha256=blobs.put(session, b"As agreed."), added=now())
        entry = OwnerQuestionEntry(at=now(), person_id=iris, act="comment", text="By when?", files=[file])
        question = OwnerQuestion(
            case_id=case_id, number=1, text="Which rows?", holds=True, state="asked", revision=1, asked=now(),
            asked_by_id=iris, entries=[entry],
        )  # fmt: skip
        session.add(question)
        session.flush()
        return {"question_entry_id": str(entry.id), "question_file_id": str(file.id)}


def with_a_retest(base: str, finding_id: int) -> dict[str, str]:
    """Puts a retest to a finding that has its evidence; its place."""
    with transaction() as session:
        case_id = int(base.rsplit("/", 1)[1])
        iris = session.scalars(select(Person.id).where(Person.login == "iris")).one()
        run = session.scalars(select(Run.id).where(Run.case_id == case_id)).first()
        retest = Retest(
            case_id=case_id, finding_id=finding_id, run_id=run, on_case_id=case_id, checks={}, by_id=iris, asked=now(),
            state="done", attempts=1, done=0, needed=0, said="", evidence_sha256=blobs.put(session, b"{}"),
        )  # fmt: skip
        session.add(retest)
        session.flush()
        return {"retest_id": str(retest.id)}


def put_into(base: str, state: CaseState) -> None:
    """The case as it would be in that state: with its reviewer where it has one, its decision as it would stand."""
    of_decision = {"proposed": "proposed", "decided": "accepted"}.get(state, "sent_back")
    with transaction() as session:
        case = session.get_one(Case, int(base.rsplit("/", 1)[1]))
        iris = session.scalars(select(Person.id).where(Person.login == "iris")).one()
        case.state, case.reviewer_id, case.reviewed_by = state, None if state == "waiting" else iris, [iris]
        for decision in session.scalars(select(Decision).where(Decision.case_id == case.id)):
            decision.state = of_decision


def can_see(visitor: Visitor, base: str) -> bool:
    return visitor.ask("GET", base).status_code == 200


def asked(visitor: Visitor, operation: tuple[str, str], places: dict[str, str]) -> Answer:
    method, path = operation
    base = places["base"]
    body = BODIES.get(operation)
    if operation in (("PUT", "/plan"), ("PUT", "/roles")):
        name = path.removeprefix("/")
        with transaction() as session:
            found = session.get_one(Case, int(base.rsplit("/", 1)[1]))
            body = {"revision": 0, name: getattr(found, name)}
    if operation == ("POST", "/handling"):
        body = {**BODIES[operation], "state": visitor.get(base)["state"] if can_see(visitor, base) else "decided"}
    thing = {"conditions": "condition_", "questions": "question_"}.get(path.strip("/").split("/")[0], "")
    file = "said_file_id" if path.startswith("/findings") else f"{thing}file_id"
    ids = {"file_id": places[file], "entry_id": places[f"{thing}entry_id"]}
    filled = path.format(**{**places, **ids, "form": FORMS.get(path, "html")})
    files = {"data": {"file": (io.BytesIO(b"As agreed."), "more.txt")}} if operation in WITH_A_FILE else {}
    return visitor.ask(method, f"{base}{filled}{QUERIES.get(operation, '')}", body, **files)


def is_refused(answer: Answer) -> bool:
    """Whether somebody was kept away, and not only from what is not there or can't be."""
    hidden = answer.status_code == 404 and (answer.json or {}).get("detail") == HIDDEN
    return answer.status_code == 403 or hidden


@pytest.mark.parametrize("state", STATES)
def test_who_is_let_through(
    app: Flask, visitor: Callable[[str], Visitor], case: dict[str, str], state: CaseState
) -> None:
    places = made(visitor, case)
    people = {login: visitor(login) for login in PEOPLE}
    wrong = []
    for operation in operations():
        allowed = let_through(operation, state)
        # Those who are kept away first: who is let through may change the state.
        for login in sorted(PEOPLE, key=lambda one: one in allowed):
            put_into(places["base"], state)
            answer = asked(people[login], operation, places)
            assert answer.status_code < 500, f"{operation}: {answer.text}"
            if is_refused(answer) == (login in allowed):
                said = "is refused" if login in allowed else "is let through"
                wrong.append(f"{PEOPLE[login]} {said}: {operation[0]} {operation[1]}: {answer.status_code}")
    assert not wrong, "\n".join(wrong)


def test_every_operation_that_changes_a_case_is_somebodys(app: Flask) -> None:
    """An operation that is new is thought of here: who sees a case may not change it by chance."""
    known = OF_THE_REVIEWER | {
        ("POST", "/take"), ("POST", "/handling"), ("POST", "/countersignature"), ("POST", "/exhibits/{number}/replay"),
        ("POST", "/findings/{finding_id}/acts"), ("POST", "/conditions/{number}/acts"), ("POST", "/questions/{number}/acts"), *_SENT_WITH_WORDS,
        ("POST", "/findings/{finding_id}/retest"), ("DELETE", "/findings/{finding_id}/retest"),
        ("PUT", "/findings/{finding_id}/entries/{entry_id}/read"), ("POST", "/shared-notes"),
        ("DELETE", "/exhibits/{number}/replay"), ("PUT", "/margin"), ("POST", "/behind"), ("POST", "/rows"),
        ("POST", "/report"), ("POST", "/re-review"), ("POST", "/plan/file"), ("POST", "/changes/effect"), ("POST", "/house-plans"), ("POST", "/exhibits/{number}/regrouped"),
        ("DELETE", "/new-rows/{number}"),
    }  # fmt: skip
    assert {one for one in operations() if one[0] != "GET"} == known
