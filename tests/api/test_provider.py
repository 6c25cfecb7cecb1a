"""Signing in by the house's own provider: who is let in as what, whose word is taken, and how they sign."""

import socket
from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from flask import Flask
from joserfc.jwk import RSAKey
from pydantic import ValidationError
from sqlalchemy import select

from brookfall.api import app as app_module
from brookfall.api import provider as provider_pages
from brookfall.api import session_routes
from brookfall.core.foundation.errors import ForbiddenError, WrongPasswordError
from brookfall.core.judge.house_policy import built_in_house
from brookfall.demo.seed import PASSWORD
from brookfall.desk import password_links, people, policies, provider, signing_codes
from brookfall.launch.house import House
from brookfall.launch.provider_stand_in import CLIENT_ID, CLIENT_SECRET, StandIn, serve
from brookfall.records.clock import now
from brookfall.records.config import Config, config
from brookfall.records.database import transaction
from brookfall.records.people import Person, SigningCode
from brookfall.records.security_log import SecurityEvent
from tests.api.conftest import Answer, Visitor
from tests.api.test_case import SignIn, proposal, ran
from tests.conftest import files_of

PEOPLE = {
    "petrus": {"name": "Petrus Hoek", "roles": ["validation"], "email": "petrus@hollinmoor.example"},
    "signe": {"name": "Signe Holm", "roles": ["leads", "staff"]},
    "nobody": {"name": "Nobody Here", "roles": ["staff"]},
    "iris": {"name": "Iris Marrow", "roles": ["validation"]},
    "wren": {"name": "Wren Hale", "roles": ["validation"]},
    "???": {"name": "Odd", "roles": ["validation"]},
}
SETTINGS: dict[str, Any] = {
    "provider_client_id": CLIENT_ID,
    "provider_client_secret": CLIENT_SECRET,
    "provider_roles": {"validation": "reviewer", "leads": "countersigner"},
    "provider_name": "the county's sign-in",
    "public_url": "http://localhost",
}
Ask = Callable[..., Answer]


@pytest.fixture(scope="module")
def provider_there() -> Iterator[StandIn]:
    """One for all tests: who somebody is to another issuer is somebody else."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    made = StandIn(f"http://127.0.0.1:{port}", PEOPLE)
    server = serve(made, port)
    yield made
    server.shutdown()


@pytest.fixture
def stand_in(provider_there: StandIn) -> Iterator[StandIn]:
    yield provider_there
    provider_there.claims, provider_there.signs_with = {}, None


@pytest.fixture
def house(stand_in: StandIn, app: Flask, monkeypatch: pytest.MonkeyPatch) -> Callable[..., Flask]:
    """The application of a house with the provider."""

    def made(**more: Any) -> Flask:
        told = config().model_copy(update={**SETTINGS, "provider_url": stand_in.issuer, **more})
        for module in (app_module, provider_pages, session_routes, password_links, people, provider):
            monkeypatch.setattr(module, "config", lambda: told)
        return app_module.create_app()

    return made


def sent(visitor: Visitor, path: str, login: str, *, second_factor: bool = False, to: str = "") -> Answer:
    """What the house answers to a browser that the provider sent back, after ``login`` was chosen there."""
    begun = visitor.ask("GET", path)
    assert begun.status_code == 302, begun.text
    chosen = {"login": login, **({"second_factor": "yes"} if second_factor else {})}
    back = httpx.post(begun.headers["Location"], data=chosen)
    assert back.status_code == 302, back.text
    address = urlsplit(back.headers["Location"])
    return visitor.ask("GET", to or f"{address.path}?{address.query}")


def signed_in(app: Flask, login: str, **more: Any) -> tuple[Visitor, str]:
    """A browser after signing in, and where it was led."""
    visitor = Visitor(app.test_client())
    answer = sent(visitor, "/provider/sign-in?next=/models", login, **more)
    assert answer.status_code == 302, answer.text
    return visitor, answer.headers["Location"]


def last_event(login: str) -> tuple[str, str]:
    with transaction() as session:
        query = select(SecurityEvent).where(SecurityEvent.login == login).order_by(SecurityEvent.id.desc()).limit(1)
        event = session.scalars(query).one()
        return event.what, event.detail


def test_who_the_provider_names_is_let_in_with_the_roles_that_it_gives(house: Callable[..., Flask]) -> None:
    visitor, led = signed_in(house(), "petrus")
    assert led == "/models"
    me = visitor.get("/api/session")
    assert (me["login"], me["name"], me["roles"]) == ("petrus", "Petrus Hoek", ["reviewer"])
    assert (me["confirms_by"], me["has_password"]) == ("the county's sign-in", False)
    assert last_event("petrus") == ("signed in", "by the provider")
    with transaction() as session:
        assert session.scalars(select(Person.mail).where(Person.login == "petrus")).one() == "petrus@hollinmoor.example"
    ways = Visitor(house().test_client()).get("/api/sign-in")
    assert ways == {"provider": "the county's sign-in", "local": True}


def test_roles_are_those_of_each_sign_in(house: Callable[..., Flask], stand_in: StandIn) -> None:
    app = house()
    assert signed_in(app, "signe")[0].get("/api/session")["roles"] == ["countersigner"]
    stand_in.claims = {"roles": ["validation", "leads"]}
    assert signed_in(app, "signe")[0].get("/api/session")["roles"] == ["reviewer", "countersigner"]
    stand_in.claims = {"roles": "leads staff"}
    assert signed_in(app, "signe")[0].get("/api/session")["roles"] == ["countersigner"]
    app = house(provider_roles={"model leads": "countersigner"})
    stand_in.claims = {"roles": "model leads"}
    assert signed_in(app, "signe")[0].get("/api/session")["roles"] == ["countersigner"]


def test_an_account_that_is_there_is_taken_up_and_nobody_else_takes_it(
    house: Callable[..., Flask], stand_in: StandIn
) -> None:
    app = house()
    visitor, _ = signed_in(app, "iris")
    me = visitor.get("/api/session")
    assert (me["login"], me["has_password"]) == ("iris", True)
    stand_in.claims = {"sub": "somebody-else"}
    assert signed_in(app, "iris")[1] == "/?refused=other_person"
    assert last_event("iris") == ("refused to sign in", "by the provider: other person")


def test_the_last_administrator_stays_one(house: Callable[..., Flask]) -> None:
    visitor, _ = signed_in(house(), "wren")
    assert visitor.get("/api/session")["roles"] == ["administrator"]
    assert last_event("wren")[1] == "by the provider; the last administrator stays one"


@pytest.mark.parametrize(("login", "why"), [("nobody", "no_role"), ("???", "no_name")])
def test_who_has_no_role_or_no_name_here_is_sent_away(house: Callable[..., Flask], login: str, why: str) -> None:
    visitor, led = signed_in(house(), login)
    assert led == f"/?refused={why}"
    assert visitor.ask("GET", "/api/session").status_code == 401
    with transaction() as session:
        assert session.scalar(select(Person.id).where(Person.login == login)) is None


def test_who_was_disabled_stays_so(house: Callable[..., Flask], stand_in: StandIn) -> None:
    app = house()
    signed_in(app, "signe")
    with transaction() as session:
        session.scalars(select(Person).where(Person.login == "signe")).one().disabled = now()
    try:
        assert signed_in(app, "signe")[1] == "/?refused=disabled"
    finally:
        with transaction() as session:
            session.scalars(select(Person).where(Person.login == "signe")).one().disabled = None


@pytest.mark.parametrize(
    "claims",
    [
        {"nonce": "of another request"},
        {"nonce": None},
        {"aud": "another house"},
        {"aud": ["another house", CLIENT_ID + "s"]},
        {"iss": "https://elsewhere.example"},
        {"exp": 1_000_000_000},
        {"iat": 4_000_000_000},
        {"sub": None},
    ],
    ids=str,
)
def test_a_token_that_is_not_for_this_request_is_not_taken(
    house: Callable[..., Flask], stand_in: StandIn, claims: dict[str, Any]
) -> None:
    stand_in.claims = claims
    visitor, led = signed_in(house(), "petrus")
    assert led == "/?refused=failed"
    assert visitor.ask("GET", "/api/session").status_code == 401


def test_a_token_that_another_key_signed_is_not_taken(house: Callable[..., Flask], stand_in: StandIn) -> None:
    stand_in.signs_with = RSAKey.generate_key(2048)
    assert signed_in(house(), "petrus")[1] == "/?refused=failed"


def test_keys_can_change_while_the_house_runs(house: Callable[..., Flask], stand_in: StandIn) -> None:
    app = house()
    assert signed_in(app, "petrus")[1] == "/models"
    stand_in.key = RSAKey.generate_key(2048, {"kid": "another", "use": "sig"})
    assert signed_in(app, "petrus")[1] == "/models"


def test_what_another_browser_began_is_not_ended_here(house: Callable[..., Flask]) -> None:
    app = house()
    theirs = Visitor(app.test_client()).ask("GET", "/provider/sign-in")
    state = parse_qs(urlsplit(theirs.headers["Location"]).query)["state"][0]
    mine = Visitor(app.test_client())
    answer = sent(mine, "/provider/sign-in", "petrus", to=f"/provider/return?code=x&state={state}")
    assert answer.headers["Location"] == "/?refused=failed"
    assert Visitor(app.test_client()).ask("GET", "/provider/return").headers["Location"] == "/?refused=failed"
    refused = mine.ask("GET", "/provider/return?error=access_denied")
    assert refused.headers["Location"] == "/?refused=failed"


def test_what_was_begun_in_vain_does_not_fill_the_cookie(house: Callable[..., Flask]) -> None:
    visitor = Visitor(house().test_client())
    for _ in range(40):
        assert visitor.ask("GET", "/provider/sign-in").status_code == 302
    kept = visitor.client.get_cookie("session")
    assert kept is not None
    assert len(kept.value) < 1500
    assert sent(visitor, "/provider/sign-in?next=/models", "petrus").headers["Location"] == "/models"


@pytest.mark.parametrize("elsewhere", ["https://elsewhere.example", "//elsewhere.example", "/\\elsewhere.example", "x"])
def test_nobody_is_led_elsewhere(house: Callable[..., Flask], elsewhere: str) -> None:
    visitor = Visitor(house().test_client())
    assert sent(visitor, f"/provider/sign-in?next={elsewhere}", "petrus").headers["Location"] == "/"


def test_a_provider_that_is_not_there_is_told(house: Callable[..., Flask], stand_in: StandIn) -> None:
    app = house(provider_url="http://127.0.0.1:9")
    answer = Visitor(app.test_client()).ask("GET", "/provider/sign-in")
    assert (answer.status_code, answer.headers["Location"]) == (302, "/?refused=failed")


def test_without_local_accounts_no_password_is_taken_or_given(house: Callable[..., Flask]) -> None:
    app = house(local_accounts=False)
    outside = Visitor(app.test_client())
    assert outside.get("/api/sign-in") == {"provider": "the county's sign-in", "local": False}
    refused = outside.ask("POST", "/api/session", {"login": "iris", "password": PASSWORD})
    assert refused.status_code == 403
    assert refused.json["todo"] == "Sign in by the county's sign-in."
    wren, _ = signed_in(app, "wren")
    with transaction() as session:
        iris = session.scalars(select(Person).where(Person.login == "iris")).one()
        with pytest.raises(WrongPasswordError):
            people.check_password(iris, PASSWORD)
    link = wren.ask("POST", f"/api/people/{iris.id}/link", {"mail": False})
    assert (link.status_code, link.json["detail"]) == (422, "Nobody has a password here.")
    assert link.json["todo"] == "People sign in by the county's sign-in, which has their passwords."


def test_who_has_no_password_signs_by_the_provider_once(
    house: Callable[..., Flask], visitor: SignIn, workers: House
) -> None:
    app = house()
    base = ran(visitor, "signed by the provider", ["profile", "holdout"], files_of(claims=[]))
    assert visitor("iris").ask("POST", f"{base}/decision", proposal()).status_code == 200
    signe, _ = signed_in(app, "signe")
    read = signe.get(f"{base}/decision")["statement_sha256"]
    body = {"accept": True, "statement_sha256": read, "password": "hollinmoor-demo"}
    refused = signe.ask("POST", f"{base}/countersignature", body)
    assert refused.status_code == 403
    assert "was not confirmed" in refused.json["detail"]
    code = confirmed(signe, "signe")
    petrus, _ = signed_in(app, "petrus")
    theirs = confirmed(petrus, "petrus")
    assert signe.ask("POST", f"{base}/countersignature", {**body, "password": theirs}).status_code == 403
    back = {"accept": False, "comment": "Say more.", "password": code}
    assert signe.ask("POST", f"{base}/countersignature", back).status_code == 200
    assert visitor("iris").ask("POST", f"{base}/decision", proposal(reasons="More.")).status_code == 200
    read = signe.get(f"{base}/decision")["statement_sha256"]
    body = {"accept": True, "statement_sha256": read, "password": code}
    assert signe.ask("POST", f"{base}/countersignature", body).status_code == 403, "it was used"
    late = confirmed(signe, "signe")
    with transaction() as session:
        for one in session.scalars(select(SigningCode).where(SigningCode.used.is_(None))):
            one.ends = now()
    assert signe.ask("POST", f"{base}/countersignature", {**body, "password": late}).status_code == 403, "it ended"
    signed = signe.ask("POST", f"{base}/countersignature", {**body, "password": confirmed(signe, "signe")})
    assert signed.status_code == 200, signed.text
    assert signed.json["decisions"][0]["state"] == "accepted"


def confirmed(visitor: Visitor, login: str, **more: Any) -> str:
    """The code that the provider's confirmation leads to."""
    led = sent(visitor, "/provider/confirm", login, **more).headers["Location"]
    page, _, code = led.partition("#")
    assert page == "/confirmed"
    assert code
    return code


def test_another_person_confirms_nothing(house: Callable[..., Flask], stand_in: StandIn) -> None:
    signe, _ = signed_in(house(), "signe")
    led = sent(signe, "/provider/confirm", "petrus").headers["Location"]
    assert led == "/confirmed?refused=other_person"
    stand_in.claims = {"auth_time": 1_000_000_000}
    assert sent(signe, "/provider/confirm", "signe").headers["Location"] == "/confirmed?refused=failed"
    nobody = Visitor(house().test_client())
    assert nobody.ask("GET", "/provider/confirm").headers["Location"] == "/"


def test_a_second_factor_at_the_provider_counts(house: Callable[..., Flask], monkeypatch: pytest.MonkeyPatch) -> None:
    signe, _ = signed_in(house(), "signe")
    with transaction() as session:
        person = session.scalars(select(Person).where(Person.login == "signe")).one()
        wanted = built_in_house().model_copy(update={"second_factor_for": ("countersigner",)})
        monkeypatch.setattr(policies, "house_now", lambda _: wanted)
        with pytest.raises(ForbiddenError, match="asks every countersigner for a second factor"):
            policies.refuse_without_second_factor(session, person, "countersigner")
    confirmed(signe, "signe")
    with transaction() as session:
        person = session.scalars(select(Person).where(Person.login == "signe")).one()
        assert not signing_codes.by_second_factor(session, person)
    confirmed(signe, "signe", second_factor=True)
    with transaction() as session:
        person = session.scalars(select(Person).where(Person.login == "signe")).one()
        policies.refuse_without_second_factor(session, person, "countersigner")


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        (
            {"provider_url": "https://id.example"},
            "BROOKFALL_PROVIDER_URL is set and BROOKFALL_PROVIDER_CLIENT_ID is not",
        ),
        ({"local_accounts": "no"}, "so nobody could sign in"),
        ({"provider_roles": "validation=boss"}, "roles are owner, reviewer"),
        ({"provider_roles": "validation"}, "VALUE=ROLE with commas between"),
        ({"provider_url": "id.example"}, "String should match pattern"),
    ],
)
def test_half_a_provider_is_refused_at_the_start(settings: dict[str, str], words: str) -> None:
    whole = config().model_dump() | settings
    with pytest.raises(ValidationError, match=words):
        Config.model_validate(whole)


def test_roles_are_read_from_the_environment(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("BROOKFALL_PROVIDER_ROLES", "model validation=reviewer, leads = countersigner,")
    assert Config().provider_roles == {"model validation": "reviewer", "leads": "countersigner"}
