"""Sessions end when somebody says so; guesses are counted before they are answered; what happened is in a log."""

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

import pytest
from click.testing import CliRunner
from flask import Flask
from sqlalchemy import select, update
from sqlalchemy.exc import DatabaseError

from brookfall.api.session import limiter
from brookfall.cli import main
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.audit_log import RecordEntry
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.people import BrowserSession, Person
from brookfall.records.security_log import SecurityEvent
from tests.api.conftest import Visitor

SignIn = Callable[[str], Visitor]


@pytest.fixture
def person(app: Flask, request: pytest.FixtureRequest) -> str:
    """Somebody of this test's own, by the name they sign in with."""
    login = f"p{abs(hash(request.node.name)) % 10**9}"
    with transaction() as session:
        add_person(session, login, f"Person {login}", PASSWORD, ("owner",))
    return login


@pytest.fixture
def throttled(app: Flask) -> Iterator[None]:
    limiter.enabled = True
    limiter.reset()
    yield
    limiter.reset()
    limiter.enabled = False


def status(visitor: Visitor) -> int:
    return visitor.ask("GET", "/api/session").status_code


def cookie_of(visitor: Visitor) -> str:
    found = visitor.client.get_cookie("session")
    assert found is not None
    return found.value


def with_cookie(app: Flask, cookie: str) -> Visitor:
    thief = Visitor(app.test_client())
    thief.client.set_cookie("session", cookie)
    return thief


def events_of(login: str) -> list[str]:
    with transaction() as session:
        query = select(SecurityEvent.what).where(SecurityEvent.login == login).order_by(SecurityEvent.id)
        return list(session.scalars(query))


def test_a_copied_cookie_is_worth_nothing_after_signing_out(visitor: SignIn, app: Flask, person: str) -> None:
    one = visitor(person)
    copied = with_cookie(app, cookie_of(one))
    assert status(copied) == 200
    assert one.ask("DELETE", "/api/session").status_code == 204
    assert status(copied) == 401
    assert events_of(person) == ["signed in", "signed out"]


def test_signing_in_again_in_a_browser_ends_the_session_before(visitor: SignIn, app: Flask, person: str) -> None:
    one = visitor(person)
    before = with_cookie(app, cookie_of(one))
    csrf = one.client.get_cookie("brookfall_csrf")
    again = one.ask("POST", "/api/session", {"login": person, "password": PASSWORD})
    assert again.status_code == 200
    assert status(one) == 200
    assert status(before) == 401
    after = one.client.get_cookie("brookfall_csrf")
    assert csrf is not None
    assert after is not None
    assert csrf.value != after.value


@pytest.mark.parametrize(
    ("began", "seen", "code"),
    [
        (timedelta(hours=11), timedelta(minutes=5), 200),
        (timedelta(hours=3), timedelta(minutes=121), 401),
        (timedelta(hours=12), timedelta(minutes=1), 401),
    ],
    ids=["goes on", "idle", "long"],
)
def test_a_session_ends_of_itself(visitor: SignIn, person: str, began: timedelta, seen: timedelta, code: int) -> None:
    one = visitor(person)
    with transaction() as session:
        person_id = session.scalars(select(Person.id).where(Person.login == person)).one()
        mine = update(BrowserSession).where(BrowserSession.person_id == person_id)
        session.execute(mine.values(began=now() - began, seen=now() - seen))
    assert status(one) == code
    assert status(one) == code


def test_a_new_password_ends_the_other_sessions(visitor: SignIn, app: Flask, person: str) -> None:
    here, elsewhere = visitor(person), visitor(person)
    new = "a-longer-password"
    wrong = here.ask("PUT", "/api/password", {"old": "not-my-password", "new": new})
    assert (wrong.status_code, wrong.json["todo"]) == (403, "Nothing was changed; type it again.")
    assert here.ask("PUT", "/api/password", {"old": PASSWORD, "new": "short"}).status_code == 422
    assert here.ask("PUT", "/api/password", {"old": PASSWORD, "new": PASSWORD}).status_code == 422
    assert status(elsewhere) == 200
    assert here.ask("PUT", "/api/password", {"old": PASSWORD, "new": new}).status_code == 204
    assert status(here) == 200
    assert status(elsewhere) == 401
    stranger = Visitor(app.test_client())
    assert stranger.ask("POST", "/api/session", {"login": person, "password": PASSWORD}).status_code == 401
    assert stranger.ask("POST", "/api/session", {"login": person, "password": new}).status_code == 200
    assert events_of(person)[2:] == ["refused a signature", "changed a password", "refused to sign in", "signed in"]


def test_who_is_disabled_is_out_at_once_with_their_tokens(visitor: SignIn, app: Flask, person: str) -> None:
    one = visitor(person)
    secret = one.ask("POST", "/api/tokens", {"name": "script", "scopes": ["read"]}).json["secret"]
    bearer = {"Authorization": f"Bearer {secret}"}
    assert app.test_client().get("/api/session", headers=bearer).status_code == 200
    unexplained = CliRunner().invoke(main, ["people", "disable", person, "--reason", " "])
    assert unexplained.exit_code == 2
    assert status(one) == 200
    done = CliRunner().invoke(main, ["people", "disable", person, "--reason", "Left the house."])
    assert done.exit_code == 0, done.output
    assert "can't sign in any more" in done.output
    assert status(one) == 401
    assert app.test_client().get("/api/session", headers=bearer).status_code == 401
    refused = one.ask("POST", "/api/session", {"login": person, "password": PASSWORD})
    assert refused.status_code == 401
    assert refused.json["detail"] == "The name or the password is not right.", "a stranger learns nothing of it"
    with transaction() as session:
        entry = session.scalars(select(RecordEntry).where(RecordEntry.act == "disabled a person")).all()[-1]
        assert "Left the house." in entry.after
    again = CliRunner().invoke(main, ["people", "disable", person, "--reason", "Twice."])
    assert again.exit_code == 2
    assert "is disabled since" in again.output
    assert CliRunner().invoke(main, ["people", "enable", person]).exit_code == 0
    assert visitor(person).get("/api/session")["login"] == person
    assert app.test_client().get("/api/session", headers=bearer).status_code == 401, "a token does not come back"
    nobody = CliRunner().invoke(main, ["people", "enable", "nobody-here"])
    assert nobody.exit_code == 2
    assert "Nobody signs in as 'nobody-here'" in nobody.output


def test_guesses_are_counted_before_they_are_answered(app: Flask, throttled: None, person: str) -> None:
    def guess(number: int) -> int:
        one = Visitor(app.test_client())
        return one.ask("POST", "/api/session", {"login": person, "password": f"guess {number}"}).status_code

    with ThreadPoolExecutor(12) as pool:
        codes = list(pool.map(guess, range(60)))
    assert codes.count(401) == 10
    assert codes.count(429) == 50
    right = Visitor(app.test_client()).ask("POST", "/api/session", {"login": person, "password": PASSWORD})
    assert right.status_code == 429, "even the right one waits"
    # Others at the same address go on.
    other = Visitor(app.test_client()).ask("POST", "/api/session", {"login": "iris", "password": PASSWORD})
    assert other.status_code == 200
    assert events_of(person).count("refused to sign in") == 10
    assert events_of(person).count("throttled") == 1, "a flood does not fill the log"


def test_a_right_password_sets_the_count_back(app: Flask, throttled: None, person: str) -> None:
    for _ in range(3):
        one = Visitor(app.test_client())
        for number in range(9):
            assert one.ask("POST", "/api/session", {"login": person, "password": f"{number}"}).status_code == 401
        assert one.ask("POST", "/api/session", {"login": person, "password": PASSWORD}).status_code == 200


def test_signatures_are_guessed_no_faster(visitor: SignIn, throttled: None, person: str) -> None:
    one = visitor(person)
    wrong = {"old": "not-my-password", "new": "a-longer-password"}
    codes = [one.ask("PUT", "/api/password", wrong).status_code for _ in range(12)]
    assert codes == [403] * 10 + [429] * 2


def test_only_administrators_read_the_security_log_and_nobody_changes_it(visitor: SignIn, person: str) -> None:
    visitor(person)
    for login in ("nell", "iris", "tom", "ada"):
        assert visitor(login).ask("GET", "/api/security-log").status_code == 403
    log = visitor("wren").get("/api/security-log")
    newest = [one for one in log["events"] if one["who"] == f"Person {person}"]
    assert [one["what"] for one in newest] == ["signed in"]
    assert newest[0]["address"] == "127.0.0.1"
    assert log["total"] >= len(log["events"])
    assert PASSWORD not in str(log)
    with pytest.raises(DatabaseError), transaction() as session:
        session.execute(update(SecurityEvent).values(what="nothing"))


def test_nothing_of_the_api_is_kept_by_a_browser(visitor: SignIn) -> None:
    iris = visitor("iris")
    for path in ("/api/cases", "/api/session", "/api/cases/1"):
        answer: Any = iris.ask("GET", path)
        assert answer.headers["Cache-Control"] == "no-store"
        assert "Strict-Transport-Security" not in answer.headers, "this house is asked without TLS"


def test_behind_tls_cookies_and_pages_say_so(app: Flask) -> None:
    app.config["SESSION_COOKIE_SECURE"] = True
    try:
        answer = app.test_client().get("/api/health", base_url="https://localhost")
        assert answer.headers["Strict-Transport-Security"] == "max-age=31536000"
        assert "Secure" in answer.headers["Set-Cookie"]
    finally:
        app.config["SESSION_COOKIE_SECURE"] = False
