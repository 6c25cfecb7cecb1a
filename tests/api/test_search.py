"""The search: what has all the words, within longer ones too, and nothing that the person may not see."""

from typing import Any

import pytest

from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.database import transaction
from tests.api.conftest import Visitor
from tests.api.test_case import SignIn, ran, taken
from tests.api.test_finding_life import act
from tests.api.test_questions import acted, asked
from tests.api.test_signing import number_of

pytestmark = pytest.mark.usefixtures("workers")

FINDING = {"severity": 2, "title": "Zinnia rows", "what": "The age_band is 100 % wrong.", "cites": []}


def found(visitor: Visitor, words: str, kind: str | None = None) -> list[Any]:
    answer = visitor.ask("GET", f"/api/search?words={words}")
    assert answer.status_code == 200, answer.text
    return [one for one in answer.json["found"] if kind in (None, one["kind"])]


def test_each_kind_is_found_by_words_within_its_own(visitor: SignIn) -> None:
    base = ran(visitor, "9.77-rc1", ["profile", "holdout"])
    iris, nell = visitor("iris"), visitor("nell")
    assert iris.ask("POST", f"{base}/findings", {"finding": FINDING}).status_code == 200
    asked(iris, base, "Which cormorants were counted?")
    acted(nell, base, "answer", "Those of the northern jetty.")
    case = number_of(base)
    for who in (iris, nell):
        assert case in [one["case_id"] for one in found(who, "9.77", "case")]
        assert [(one["case_id"], one["place"]) for one in found(who, "zinnia", "finding")] == [
            (case, "findings#finding-1")
        ]
        assert [one["case_id"] for one in found(who, "BAND wrong zinn", "finding")] == [case], "in any order, in parts"
        assert [one["text"] for one in found(who, "ormoran", "question")] == ["Which cormorants were counted?"]
        assert [one["case_id"] for one in found(who, "northern jetty", "question")] == [case], "in an answer too"
        assert [one["case_id"] for one in found(who, "holdout 9.77", "exhibit")] == [case], "with words of its case"
        assert found(who, "9.77", "exhibit") == [], "but not by these alone"
        assert any(one["case_id"] == case for one in found(who, "holdout", "exhibit"))
        assert any(one["title"] == "Nell Farrow" for one in found(who, "farrow", "person"))
        assert found(who, "zinnia cormorants") == []
    # What the pattern language of the database means by these is not meant here.
    assert case in [one["case_id"] for one in found(iris, "100 %25 zinnia", "finding")]
    assert found(iris, "z_nnia") == []
    assert found(iris, "%25%25zinnia") == []


def test_what_one_may_not_see_is_not_found(visitor: SignIn) -> None:
    iris, base = taken(visitor, "hidden words")
    with transaction() as session:
        add_person(session, "edda", "Edda Reed", PASSWORD, ("owner",))
    draft = iris.ask("POST", f"{base}/findings", {"finding": {**FINDING, "title": "Quokka"}, "draft": True}).json
    asked(iris, base, "Who counted the axolotls?")
    assert len(found(iris, "quokka")) == 1
    for login in ("nell", "tom", "ada", "edda", "wren"):
        assert found(visitor(login), "quokka") == [], login
    for login in ("edda", "wren"):
        assert visitor(login).get("/api/search?words=e")["found"] == [], login
    # A draft that was withdrawn stays its reviewer's alone; one that was sent and withdrawn was seen by all.
    assert act(iris, base, draft, "withdraw", text="Not so.").status_code == 200
    assert found(visitor("nell"), "quokka") == []
    assert len(found(visitor("nell"), "axolotl")) == 1
    sent = iris.ask("POST", f"{base}/findings", {"finding": {**FINDING, "title": "Numbat"}}).json
    assert act(iris, base, sent, "withdraw", text="Not so either.").status_code == 200
    assert len(found(visitor("nell"), "numbat")) == 1


def test_too_many_words_or_none_are_told_and_the_count_goes_on(visitor: SignIn) -> None:
    iris = visitor("iris")
    assert iris.ask("GET", "/api/search?words=").status_code == 422
    assert iris.ask("GET", "/api/search?words=%20").json["detail"] == "0 words are given."
    assert iris.ask("GET", "/api/search?words=a+b+c+d+e+f+g+h+i").json["detail"] == "9 words are given."
    _, base = taken(visitor, "many findings")
    for number in range(23):
        body = {"finding": {**FINDING, "title": f"Wombat {number}"}}
        assert iris.ask("POST", f"{base}/findings", body).status_code == 200
    view = iris.get("/api/search?words=wombat")
    assert view["totals"]["finding"] == 23
    assert len(view["found"]) == 20
    assert view["found"][0]["title"].startswith("Wombat 22"), "the newest first"
