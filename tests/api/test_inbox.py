"""What waits for whom, and which cases are listed: the conditions of the queries against the rules in words."""

import random
from datetime import timedelta
from itertools import pairwise, product
from typing import Any

import pytest
from sqlalchemy import func, select

from brookfall.core.judge.case_life import STATES
from brookfall.core.judge.life import PARTS
from brookfall.demo.seed import PASSWORD
from brookfall.desk import people
from brookfall.desk.approvals import approvals_today, ending_approvals
from brookfall.desk.inbox import waiting_items
from brookfall.desk.people import add_person
from brookfall.desk.said import parts_of
from brookfall.launch.house import House
from brookfall.records.approvals import Approval
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Decision, Finding, StoredExhibit
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.runs import Run
from tests.api.conftest import Visitor
from tests.api.packages import waiting
from tests.api.test_case import SignIn, taken
from tests.api.test_conditions import approved, asked, at_day, reviewed
from tests.api.test_finding_life import written
from tests.api.test_handling import handled
from tests.api.test_questions import asked as asked_owner
from tests.api.test_signing import number_of
from tests.conftest import as_owner
from tests.many import fill

pytestmark = pytest.mark.usefixtures("workers")


def filled(visitor: SignIn) -> None:
    """Forty models of three versions in every state, once."""
    with transaction() as session:
        if session.scalar(select(Person.id).where(Person.login == "fern")) is not None:
            return
    _, base = taken(visitor, "like all others")
    with transaction() as session:
        for login, name, roles in (
            ("fern", "Fern Holt", ("reviewer", "countersigner")), ("cora", "Cora Wade", ("owner", "reviewer")),
        ):  # fmt: skip
            add_person(session, login, name, PASSWORD, roles)
        fill(session, number_of(base), models=40, versions=3)


def cases_of(visitor: Visitor, query: str = "") -> list[Any]:
    return list(visitor.get(f"/api/cases{query}")["cases"])


def test_conditions_of_queries_say_what_the_rules_say(visitor: SignIn) -> None:
    filled(visitor)
    with transaction() as session:
        everybody = session.scalars(select(Person)).all()
        cora = next(one for one in everybody if one.login == "cora")
        cases = session.scalars(select(Case)).all()
        # Of some the reviewer reviewed once, or belongs to the model; both matter for who may countersign.
        for place, case in enumerate(cases):
            case.state = STATES[place % len(STATES)]
            if place % 7 == 3:
                case.reviewed_by = sorted({*case.reviewed_by, *(one.id for one in everybody if one.login == "fern")})
            if place % 11 == 5:
                case.registered.members = [cora]
        session.flush()
        told = 0
        for person in everybody:
            seen = set(session.scalars(people.visible_cases(person).with_only_columns(Case.id)))
            assert seen == {case.id for case in cases if people.may_see(person, case)}, person.login
            for part in PARTS:
                having = set(session.scalars(select(Case.id).where(people.is_part(person, part))))
                assert having == {case.id for case in cases if part in parts_of(person, case)}, (person.login, part)
                told += len(having)
            waits = set(session.scalars(select(Case.id).where(people.waits_for(person))))
            assert waits == {
                case.id
                for case in cases
                if people.may_take(person, case)
                or people.may_review(person, case)
                or people.may_countersign(person, case)
            }, person.login
        assert told > 100
        session.rollback()


def test_the_inbox_has_the_oldest_first_and_a_page_at_a_time(visitor: SignIn) -> None:
    filled(visitor)
    nell = visitor("nell")
    first, second = nell.get("/api/inbox"), nell.get("/api/inbox?page=2")
    assert first["total"] > 50
    assert len(first["items"]) == 50
    assert first["items"][-1]["since"] <= second["items"][0]["since"]
    assert all(one["since"] <= later["since"] for one, later in pairwise(first["items"]))
    # Nell reviews nothing: what waits for her are answers and evidence, no case.
    assert (first["cases"], first["waiting"]) == ([], 0)
    assert first["others"] == first["items"][:3]
    with transaction() as session:
        hers = select(Person.id).where(Person.login == "nell").scalar_subquery()
        open_ones = (
            select(Finding.case_id)
            .join(Case)
            .where(Finding.state == "open", Case.state.in_(("in_review", "proposed", "decided")))
            .where(Case.owner_id == hers)
        )
        assert {one["case_id"] for one in waiting(nell, "finding")} == set(session.scalars(open_ones))
    assert nell.ask("GET", "/api/inbox?page=0").status_code == 422
    wren = visitor("wren").get("/api/inbox")
    assert (wren["items"], wren["total"]) == ([], 0)


def test_each_thing_waits_since_it_was_left_to_this_person(visitor: SignIn) -> None:
    with at_day(9):
        iris, base = taken(visitor, "waits since")
        written(iris, base)
        asked_owner(iris, base, due=(today() + timedelta(days=30)).isoformat())
    nell = visitor("nell")
    mine = [one for one in waiting(nell, "finding") + waiting(nell, "question") if one["case_id"] == number_of(base)]
    assert [(one["about"], one["act"], one["count"]) for one in mine] == [
        ("finding", "answer", 1), ("question", "answer", 1),
    ]  # fmt: skip
    assert {one["since"][:10] for one in mine} == {(today() - timedelta(days=9)).isoformat()}
    assert mine[1]["due"] == (today() + timedelta(days=21)).isoformat()
    (case,) = [one for one in waiting(visitor("iris"), "case") if one["case_id"] == number_of(base)]
    assert (case["act"], case["waits"]) == ("review", "is with you")


def test_a_condition_of_an_approval_that_was_decided_again_waits_for_nobody(visitor: SignIn) -> None:
    base = reviewed(visitor, "decided again", "Decided again")
    approved(visitor, base, asked(today() + timedelta(days=30)))
    nell = visitor("nell")
    assert number_of(base) in [one["case_id"] for one in waiting(nell, "condition")]
    again = nell.ask("POST", f"{base}/re-review", {"reason": "It is older."})
    assert again.status_code == 200, again.text
    assert number_of(base) in [one["case_id"] for one in waiting(nell, "condition")], "until it is decided"
    with transaction() as session:
        case = session.get_one(Case, again.json["id"])
        old = session.scalars(select(Decision).where(Decision.case_id == number_of(base))).one()
        columns = [one.name for one in Decision.__table__.columns if one.name not in ("id", "case_id")]
        session.add(Decision(case_id=case.id, **{name: getattr(old, name) for name in columns}))
        case.state = "decided"
    assert number_of(base) not in [one["case_id"] for one in waiting(nell, "condition")]


def test_ends_of_approvals_wait_as_the_rules_say_whatever_is_in_use(visitor: SignIn, workers: House) -> None:
    """The query leaves out what is superseded; the rules, asked of every case, must say the same."""
    filled(visitor)
    chance = random.Random(4)
    with as_owner(workers) as session:
        for model in session.scalars(select(RegisteredModel).where(RegisteredModel.key.startswith("full-"))):
            model.in_use = chance.choice((None, "1.0", "2.0", "9.0"))
            model.withdrawn = chance.choice((None, None, None, now()))
            cases = session.scalars(select(Case).where(Case.model_id == model.id).order_by(Case.id)).all()
            # Of some a version is a later review of the one before, of some all was signed on one day.
            if chance.random() < 0.6:
                before = chance.choice((0, 1))
                cases[before + 1].version, cases[before + 1].review = cases[before].version, 2
            if chance.random() < 0.3:
                for approval in session.scalars(select(Approval).where(Approval.case_id.in_({c.id for c in cases}))):
                    approval.signed = today() - timedelta(days=800)
        session.flush()
        told = 0
        for login in ("nell", "iris"):
            person = session.scalars(select(Person).where(Person.login == login)).one()
            everything = session.scalars(select(Case)).all()
            known = approvals_today(session, {case.model_id for case in everything})
            ruled = ending_approvals(person, everything, known)
            listed = [one for one in waiting_items(session, person) if one.about == "approval"]
            assert sorted(one.case_id for one in listed) == sorted(one.case_id for one in ruled), login
            told += len(listed)
        assert told > 20
        session.rollback()


def test_what_others_did_since_the_last_look(visitor: SignIn) -> None:
    filled(visitor)
    iris, base = taken(visitor, "changes seen")
    nell = visitor("nell")
    written(iris, base)
    page = nell.get("/api/inbox/changes")
    newest = page["changes"][0]
    assert (newest["who"], newest["act"], newest["case_id"], newest["version"]) == (
        "Iris Marrow", "wrote a finding", number_of(base), "changes seen",
    )  # fmt: skip
    assert all(one["who"] != "Nell Farrow" for one in page["changes"])
    assert nell.ask("POST", "/api/inbox/look").status_code == 204
    assert nell.get("/api/inbox/changes")["seen"] is not None
    assert visitor("wren").get("/api/inbox/changes")["changes"] == []
    elsewhere = {one["case_id"] for one in visitor("cora").get("/api/inbox/changes")["changes"]}
    assert number_of(base) not in elsewhere, "he has no part in it"


@pytest.mark.parametrize(
    ("query", "rule"),
    [
        ("state=in_review", lambda one: one["state"] == "in_review"),
        ("tier=3", lambda one: one["tier"] == 3),
        ("tier=1", lambda one: one["tier"] == 1),
        ("outcome=binary", lambda one: one["outcome"] == "binary"),
        ("outcome=choice", lambda one: one["outcome"] == "choice"),
        ("mine=true", lambda one: one["reviewer"] == "Iris Marrow"),
        (
            "overdue=true",
            lambda one: (
                one["due"] and one["due"] < today().isoformat() and one["state"] not in ("decided", "withdrawn")
            ),
        ),
    ],
)
def test_the_docket_lists_what_was_asked_for(visitor: SignIn, query: str, rule: Any) -> None:
    filled(visitor)
    if query.startswith("overdue"):
        with at_day(5):
            iris, base = taken(visitor, "is overdue")
            handled(iris, base, "reschedule", due=(today() + timedelta(days=2)).isoformat())
    iris = visitor("iris")
    every, found = cases_of(iris), cases_of(iris, f"?{query}")
    assert [one["id"] for one in found] == [one["id"] for one in every if rule(one)]
    assert 0 < len(found) < len(every)


def test_counts_of_states_pages_and_orders(visitor: SignIn) -> None:
    filled(visitor)
    iris = visitor("iris")
    every = cases_of(iris)
    view = iris.get("/api/cases?page=2&state=decided")
    assert view["counts"] == {state: sum(one["state"] == state for one in every) for state in view["counts"]}
    assert sum(view["counts"].values()) == len(every)
    assert view["total"] == view["counts"]["decided"]
    assert [one["id"] for one in view["cases"]] == [one["id"] for one in every if one["state"] == "decided"][50:100]
    keys: dict[str, Any] = {
        "model": lambda one: one["model"],
        "tier": lambda one: one["tier"],
        "owner": lambda one: one["owner"],
        "reviewer": lambda one: one["reviewer"],
        "due": lambda one: one["due"],
        "state": lambda one: STATES.index(one["state"]),
        "priority": lambda one: ("low", "normal", "high").index(one["priority"]),
        "findings": lambda one: max((count["severity"] for count in one["findings"]), default=None),
    }
    for (by, key), falling in product(keys.items(), (False, True)):
        found = [key(one) for one in cases_of(iris, f"?sort={by}&falling={str(falling).lower()}")]
        valued = [one for one in found if one is not None]
        assert found == sorted(valued, reverse=falling) + [None] * (len(found) - len(valued)), (by, falling)
    assert iris.ask("GET", "/api/cases?sort=colour").status_code == 422
    assert iris.ask("GET", "/api/cases?moon=1").status_code == 422


def test_cases_by_the_standing_of_an_exhibit_of_their_latest_run(visitor: SignIn) -> None:
    filled(visitor)
    iris = visitor("iris")
    with transaction() as session:
        runs = dict(session.execute(select(Run.case_id, func.max(Run.id)).group_by(Run.case_id)).all())
        exhibits = session.scalars(select(StoredExhibit).where(StoredExhibit.run_id.in_(runs.values()))).all()
    for standing in ("within", "near", "outside", "unsettled"):
        found = {one["id"] for one in cases_of(iris, f"?standing={standing}")}
        assert found == {one.case_id for one in exhibits if one.standing == standing}
        assert found
