"""Questions to the owner: asked of an exhibit, a column, a claim; answered with files; what docket and report say."""

import io
import json
from datetime import timedelta
from itertools import product
from typing import Any

import pytest
from sqlalchemy.orm import Session

from brookfall.core.judge.case_life import CaseState
from brookfall.core.judge.life import Part
from brookfall.core.judge.question_life import ACTS, LIFE, STATES, QuestionState
from brookfall.demo.seed import PASSWORD
from brookfall.records.config import today
from brookfall.records.database import transaction
from brookfall.records.questions import OwnerQuestion
from brookfall.records.verification import verify_everything
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, rendered, waiting
from tests.api.test_case import SignIn, proposal, ran, taken
from tests.api.test_conditions import at_day
from tests.api.test_finding_life import entries_of
from tests.api.test_signing import number_of
from tests.conftest import files_of

pytestmark = pytest.mark.usefixtures("workers")


def ask(visitor: Visitor, base: str, text: str = "Which rows were left out?", **more: Any) -> Answer:
    return visitor.ask("POST", f"{base}/questions", {"text": text, **more})


def asked(visitor: Visitor, base: str, text: str = "Which rows were left out?", **more: Any) -> Any:
    answer = ask(visitor, base, text, **more)
    assert answer.status_code == 200, answer.text
    return answer.json


def seen(visitor: Visitor, base: str, number: int = 1) -> Any:
    return visitor.get(f"{base}/questions")["questions"][number - 1]


def act(
    visitor: Visitor, base: str, what: str, text: str = "", *, number: int = 1, revision: int | None = None
) -> Answer:
    body = {"act": what, "revision": revision or seen(visitor, base, number)["revision"], "text": text}
    return visitor.ask("POST", f"{base}/questions/{number}/acts", body)


def acted(visitor: Visitor, base: str, what: str, text: str = "", *, number: int = 1) -> Any:
    answer = act(visitor, base, what, text, number=number)
    assert answer.status_code == 200, answer.text
    return answer.json


def waits(visitor: Visitor, base: str) -> list[tuple[str, int]]:
    return [(one["act"], one["count"]) for one in waiting(visitor, "question") if one["case_id"] == number_of(base)]


def line_of(visitor: Visitor, base: str) -> Any:
    return next(line for line in visitor.get("/api/cases")["cases"] if line["id"] == number_of(base))


def test_without_a_day_it_is_to_be_answered_by_that_of_the_policy(visitor: SignIn) -> None:
    _, base = taken(visitor, "a question without a day")
    question = asked(visitor("iris"), base)
    assert question["due"] == (today() + timedelta(days=14)).isoformat()


def test_asked_answered_asked_again_and_settled(visitor: SignIn) -> None:
    _, base = taken(visitor, "a question")
    nell, iris, tom = visitor("nell"), visitor("iris"), visitor("tom")
    assert iris.get(f"{base}/questions") == {"may_ask": True, "questions": []}
    assert not nell.get(f"{base}/questions")["may_ask"]
    due = today() + timedelta(days=7)
    question = asked(iris, base, due=due.isoformat())
    assert (question["number"], question["state"], question["holds"], question["about"]) == (1, "asked", True, None)
    assert question["due"] == due.isoformat()
    assert line_of(iris, base)["stands"] == "in review, waits for the owner"
    assert waits(nell, base) == [("answer", 1)]
    assert waits(iris, base) == waits(tom, base) == []
    answered = acted(nell, base, "answer", "Those of May, as the form had changed.")
    address = f"{base}/questions/1/entries/{answered['entries'][-1]['id']}/files"
    answer = nell.ask("POST", address, data={"file": (io.BytesIO(b"May"), "form.pdf")})
    assert answer.status_code == 200, answer.text
    (file,) = answer.json["entries"][-1]["files"]
    kept = iris.ask("GET", f"{address}/{file['id']}")
    assert kept.data == b"May"
    assert kept.headers["Content-Security-Policy"] == "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    assert nell.ask("POST", address, data={"file": (io.BytesIO(b"x"), "form.pdf")}).status_code == 422
    assert iris.ask("POST", address, data={"file": (io.BytesIO(b"x"), "mine.pdf")}).status_code == 403
    assert not line_of(iris, base)["waits_for_owner"]
    assert waits(iris, base) == [("settle", 1)]
    acted(iris, base, "ask_again", "Which form?")
    assert line_of(iris, base)["waits_for_owner"]
    acted(nell, base, "answer", "The one for smoke alarms.")
    acted(tom, base, "comment", "I know that one.")
    acted(iris, base, "settle")
    assert waits(iris, base) == waits(nell, base) == []
    assert [entry["act"] for entry in seen(nell, base)["entries"]] == [
        "answer", "ask_again", "answer", "comment", "settle",
    ]  # fmt: skip
    assert [entry.act for entry in entries_of(base, "%question%")] == [
        "answered a question", "sent a file about a question", "asked a question again", "answered a question",
        "commented on a question", "settled a question",
    ]  # fmt: skip
    (first,) = entries_of(base, "asked the owner")
    assert first.subject == "1: Which rows were left out?"
    assert json.loads(first.after)["text"] == "Which rows were left out?"
    with transaction() as session:
        assert verify_everything(session).fault is None


def test_what_is_asked_about_is_quoted_as_it_was(visitor: SignIn) -> None:
    base = ran(visitor, "a question about", ["profile", "holdout"])
    iris = visitor("iris")
    (exhibit,) = [one for one in iris.get(f"{base}/run")["exhibits"] if one["title"] == "Holdout"]
    one = asked(iris, base, about={"kind": "exhibit", "key": str(exhibit["number"])})
    answer = iris.get(f"{base}/exhibits/{exhibit['number']}")["exhibit"]["answer"]
    assert one["about"] == {"kind": "exhibit", "key": str(exhibit["number"]), "words": f"Holdout: {answer}"}
    column = iris.get(f"{base}/data")["columns"][0]["name"]
    assert asked(iris, base, about={"kind": "column", "key": column})["about"]["words"].startswith(f"{column}: ")
    assert asked(iris, base, about={"kind": "claim", "key": "1"})["about"]["words"].endswith("claimed 0.75")
    for kind, key in (("exhibit", "99"), ("column", "no such"), ("claim", "0"), ("claim", "7"), ("exhibit", "x")):
        refused = ask(iris, base, about={"kind": kind, "key": key})
        assert (refused.status_code, refused.json["detail"]) == (422, f"There is no such {kind} in this case.")
    assert ask(iris, base, about={"kind": "moon", "key": "1"}).status_code == 422
    assert [q["number"] for q in iris.get(f"{base}/questions")["questions"]] == [1, 2, 3]


def test_server_table_and_buttons_agree_for_every_state_act_person_and_case(visitor: SignIn) -> None:
    _, base = taken(visitor, "questions table")
    asked(visitor("iris"), base)
    parts: dict[str, set[Part]] = {"nell": {"owner"}, "iris": {"reviewer"}, "tom": {"countersigner"}, "ada": set()}
    people = {login: visitor(login) for login in parts}
    reviewed: tuple[CaseState, ...] = ("in_review", "proposed", "decided")
    for of_case, state, login in product(reviewed, STATES, parts):
        put(base, state, of_case)
        shown = seen(people[login], base)
        assert shown["may"] == list(LIFE.acts_of(state, parts[login], of_case)), (state, login, of_case)
        for what in ACTS:
            answer = act(people[login], base, what, "Said.", revision=put(base, state, of_case))
            expected = 200 if LIFE.may(what, state, parts[login], of_case) else 403
            assert answer.status_code == expected, (state, what, login, of_case, answer.text)
            if expected == 403:
                assert stored(base).state == state
        allowed = login == "iris" and of_case == "in_review"
        assert people[login].get(f"{base}/questions")["may_ask"] == allowed
        assert (ask(people[login], base).status_code == 200) == allowed
    put(base, "settled", "in_review")


def put(base: str, state: QuestionState, of_case: CaseState) -> int:
    """Puts the first question and its case into these states; its revision."""
    with transaction() as session:
        question = _first(session, base)
        question.state, question.case.state = state, of_case
        return question.revision


def stored(base: str) -> OwnerQuestion:
    with transaction() as session:
        return _first(session, base)


def _first(session: Session, base: str) -> OwnerQuestion:
    return session.query(OwnerQuestion).filter_by(case_id=number_of(base), number=1).one()


def test_a_stale_window_a_day_that_is_past_and_nothing_said_are_refused(visitor: SignIn) -> None:
    _, base = taken(visitor, "questions refused")
    nell, iris = visitor("nell"), visitor("iris")
    past = ask(iris, base, due="2020-01-01")
    assert (past.status_code, past.json["detail"]) == (422, "1 Jan 2020 is past.")
    assert ask(iris, base, "  ").status_code == 422
    assert iris.get(f"{base}/questions")["questions"] == []
    asked(iris, base)
    window = seen(iris, base)
    acted(nell, base, "answer", "None were.")
    late = act(iris, base, "settle", revision=window["revision"])
    assert late.status_code == 409
    assert "changed since" in late.json["detail"]
    empty = act(nell, base, "answer", " ")
    assert (empty.status_code, empty.json["detail"]) == (422, "Nothing is said with it.")
    assert act(nell, base, "answer", "x", number=2, revision=1).status_code == 404
    assert visitor("wren").ask("GET", f"{base}/questions").status_code == 404
    assert seen(iris, base)["state"] == "answered"


def test_a_question_that_does_not_hold_the_case_and_one_that_is_overdue(visitor: SignIn) -> None:
    with at_day(5):
        _, base = taken(visitor, "questions late")
        iris = visitor("iris")
        asked(iris, base, due=(today() + timedelta(days=2)).isoformat(), holds=False)
        assert not line_of(iris, base)["waits_for_owner"]
        assert not seen(iris, base)["overdue"]
    nell = visitor("nell")
    assert seen(nell, base)["overdue"]
    acted(nell, base, "answer", "Here.")
    assert not seen(nell, base)["overdue"]


def test_what_was_asked_and_answered_is_signed_and_stands_in_the_report(visitor: SignIn) -> None:
    files = files_of(claims=[], recipe={"family": "logistic", "threshold": 0.5, "seed": 3})
    base = ran(visitor, "questions signed", ["profile", "holdout"], files)
    nell, iris = visitor("nell"), visitor("iris")
    asked(iris, base, "Were <b>all</b> visits counted?", about={"kind": "column", "key": "x"})
    acted(nell, base, "answer", "All but those of May.")
    answer = iris.ask("POST", f"{base}/decision", proposal(kind="approved", conditions=[], despite="Few rows."))
    assert answer.status_code == 200, answer.text
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    acted(nell, base, "answer", "And those of June.")
    page = rendered(iris, base).text
    assert "Questions to the owner" in page
    assert "Were &lt;b&gt;all&lt;/b&gt; visits counted?" in page
    assert "All but those of May." in page
    assert "And those of June." not in page, "what was signed does not change"
    assert [entry["text"] for entry in seen(nell, base)["entries"]] == ["All but those of May.", "And those of June."]
