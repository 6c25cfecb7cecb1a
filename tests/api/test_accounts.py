"""People come, change and go by an administrator's hand, or at the command line; passwords are their own."""

import re
from collections.abc import Callable
from datetime import UTC, timedelta
from pathlib import Path
from typing import Any

import pyotp
import pytest
from click.testing import CliRunner
from flask import Flask
from sqlalchemy import select

from brookfall.cli import main
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.desk.second_factor import check, confirm
from brookfall.records.audit_log import RecordEntry
from brookfall.records.clock import clock_at, now
from brookfall.records.config import config
from brookfall.records.database import transaction
from brookfall.records.people import PasswordLink, Person, RecoveryCode, SecondFactor
from brookfall.records.security_log import SecurityEvent
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_holding import in_review, reviewer_of
from tests.api.test_inventory import named

SignIn = Callable[[str], Visitor]
GOOD = "seven grey herons wade"


@pytest.fixture
def wren(visitor: SignIn) -> Visitor:
    return visitor("wren")


def added(by: Visitor, login: str, *roles: str, mail: str = "") -> int:
    body = {"login": login, "name": f"{login.title()} Marsh", "roles": list(roles), "mail": mail}
    answer = by.ask("POST", "/api/people", body)
    assert answer.status_code == 200, answer.text
    person_id: int = answer.json["account"]["id"]
    return person_id


def link_for(by: Visitor, person_id: int) -> str:
    """The secret of a new link, as it is handed over."""
    answer = by.ask("POST", f"/api/people/{person_id}/link", {"mail": False})
    assert answer.status_code == 200, answer.text
    secret: str = answer.json["link"].partition("/welcome#")[2]
    return secret


def chosen(app: Flask, secret: str, password: str = GOOD) -> Answer:
    return Visitor(app.test_client()).ask("PUT", "/api/password-link", {"secret": secret, "password": password})


def signed_in(app: Flask, login: str, password: str = GOOD, code: str = "") -> tuple[Visitor, Answer]:
    one = Visitor(app.test_client())
    return one, one.ask("POST", "/api/session", {"login": login, "password": password, "code": code})


def security_of(login: str) -> list[str]:
    with transaction() as session:
        query = select(SecurityEvent.what).where(SecurityEvent.login == login).order_by(SecurityEvent.id)
        return list(session.scalars(query))


def test_a_person_is_added_chooses_a_password_by_a_link_and_signs_in(app: Flask, wren: Visitor) -> None:
    person_id = added(wren, "amos", "reviewer", "owner")
    assert signed_in(app, "amos", "")[1].status_code == 401, "there is no password to guess"
    secret = link_for(wren, person_id)
    stranger = Visitor(app.test_client())
    seen = stranger.ask("POST", "/api/password-link", {"secret": secret})
    assert (seen.json["login"], seen.json["name"]) == ("amos", "Amos Marsh")
    assert chosen(app, secret, "amos marsh 1").status_code == 422, "too easily guessed, and the link still works"
    assert chosen(app, secret).status_code == 204
    again = chosen(app, secret)
    assert (again.status_code, again.json["detail"]) == (404, "This link was used, or is over.")
    one, answer = signed_in(app, "amos")
    assert answer.json["roles"] == ["owner", "reviewer"]
    assert [line["name"] for line in wren.get("/api/people") if line["login"] == "amos"] == ["Amos Marsh"]
    page = wren.get(f"/api/people/{person_id}")
    assert page["account"]["has_password"]
    assert len(page["sign_ins"]) == 1
    assert (page["account"]["sessions"], one.get("/api/cases")["cases"] is not None) == (1, True)
    assert security_of("amos") == [
        "refused to sign in", "made a one-time link", "set a password by a link", "signed in",
    ]  # fmt: skip
    with transaction() as session:
        entries = session.scalars(select(RecordEntry).where(RecordEntry.subject.startswith("Amos Marsh"))).all()
        assert [one.act for one in entries] == ["added a person", "made a one-time link"]
        assert secret not in str([one.after for one in entries])


def test_only_the_newest_link_works_and_only_for_its_days(app: Flask, wren: Visitor) -> None:
    person_id = added(wren, "bela", "owner")
    first, second = link_for(wren, person_id), link_for(wren, person_id)
    assert chosen(app, first).status_code == 404
    with clock_at(now() + timedelta(days=3, seconds=1)):
        assert chosen(app, second).status_code == 404
    assert chosen(app, second).status_code == 204
    assert chosen(app, "made-up").status_code == 404
    with transaction() as session:
        kept = session.scalars(select(PasswordLink).where(PasswordLink.person_id == person_id)).all()
        assert second not in str([one.sha256 for one in kept])


def test_who_is_disabled_has_no_link_that_works_when_they_come_back(app: Flask, wren: Visitor) -> None:
    person_id = added(wren, "beno", "owner")
    secret = link_for(wren, person_id)
    wren.ask("POST", f"/api/people/{person_id}/disable", {"reason": "By mistake."})
    assert chosen(app, secret).status_code == 404
    assert wren.ask("POST", f"/api/people/{person_id}/link", {"mail": False}).status_code == 422
    wren.ask("POST", f"/api/people/{person_id}/enable", {})
    assert chosen(app, secret).status_code == 404
    assert chosen(app, link_for(wren, person_id)).status_code == 204
    assert signed_in(app, " Beno ")[1].status_code == 200, "however the name is written"


def test_what_can_not_be_added_is_said(wren: Visitor) -> None:
    added(wren, "celia", "owner")
    for body, words in (
        ({"login": "celia", "name": "Another", "roles": ["owner"]}, "signs in as 'celia' already"),
        ({"login": "C leo", "name": "Another", "roles": ["owner"]}, "can't be a name to sign in with"),
        ({"login": "celia2", "name": " ", "roles": ["owner"]}, "has no name"),
        ({"login": "celia2", "name": "Another", "roles": []}, "has no role"),
        ({"login": "celia2", "name": "Another", "roles": ["queen"]}, "'queen' is not a role"),
        ({"login": "celia2", "name": "Another", "roles": ["owner"], "mail": "nowhere"}, "is no mail address"),
    ):
        answer = wren.ask("POST", "/api/people", body)
        assert answer.status_code == 422
        assert words in answer.json["detail"]


@pytest.mark.parametrize("login", ["nell", "iris", "tom", "ada"])
def test_accounts_are_the_administrators_alone(visitor: SignIn, login: str) -> None:
    one = visitor(login)
    assert one.ask("GET", "/api/people").status_code == 403
    assert one.ask("GET", "/api/people/1").status_code == 403
    for method, path, body in (
        ("POST", "/api/people", {"login": "mallory", "name": "M", "roles": ["administrator"]}),
        ("PUT", "/api/people/1/roles", {"roles": ["administrator"]}),
        ("POST", "/api/people/1/disable", {"reason": "Because."}),
        ("POST", "/api/people/1/enable", {}),
        ("POST", "/api/people/1/link", {"mail": False}),
        ("DELETE", "/api/people/1/second-factor", None),
    ):
        assert one.ask(method, path, body).status_code == 403, path


def test_no_token_opens_accounts_sessions_or_second_factors(visitor: SignIn, app: Flask) -> None:
    made = visitor("wren").ask("POST", "/api/tokens", {"name": "all", "scopes": ["read", "submit"]}).json["secret"]
    for path in ("/api/people", "/api/people/1", "/api/sessions", "/api/second-factor"):
        answer = app.test_client().get(path, headers={"Authorization": f"Bearer {made}"})
        assert answer.status_code == 403, path


def test_roles_count_from_the_next_request_and_somebody_stays_administrator(app: Flask, wren: Visitor) -> None:
    person_id = added(wren, "dora", "owner")
    chosen(app, link_for(wren, person_id))
    dora, _ = signed_in(app, "dora")
    assert dora.ask("GET", "/api/holding").status_code == 403
    page = wren.ask("PUT", f"/api/people/{person_id}/roles", {"roles": ["countersigner", "reviewer"]})
    assert page.json["account"]["roles"] == ["reviewer", "countersigner"]
    assert dora.ask("GET", "/api/holding").status_code == 200
    mine = wren.get("/api/session")["id"]
    able = [one for one in wren.get("/api/people") if "administrator" in one["roles"] and not one["disabled"]]
    others = [one["id"] for one in able if one["id"] != mine]
    for other in others:
        wren.ask("POST", f"/api/people/{other}/disable", {"reason": "So that one is left."})
    refused = wren.ask("PUT", f"/api/people/{mine}/roles", {"roles": ["auditor"]})
    assert "the only administrator who can sign in" in refused.json["detail"]
    assert wren.ask("POST", f"/api/people/{mine}/disable", {"reason": "Tired."}).status_code == 422
    for other in others:
        wren.ask("POST", f"/api/people/{other}/enable", {})


def test_who_leaves_is_out_and_their_cases_go_to_another(app: Flask, wren: Visitor, visitor: SignIn) -> None:
    with transaction() as session:
        leaver = add_person(session, "egon", "Egon Reed", PASSWORD, ("reviewer",)).id
        add_person(session, "fred", "Fred Lane", PASSWORD, ("reviewer",))
    egon, nell = visitor("egon"), visitor("nell")
    mine = [in_review(nell, egon, f"Left behind {place}") for place in (1, 2)]
    page = wren.ask("POST", f"/api/people/{leaver}/disable", {"reason": "Left the house."}).json
    assert egon.ask("GET", "/api/session").status_code == 401
    assert [one["case_id"] for one in page["cases"]] == mine
    assert "fred" in [one["login"] for one in page["reviewers"]]
    body = {"of": leaver, "to": "fred", "reason": "Egon left."}
    handed = wren.ask("POST", "/api/holding/hand-over", body)
    assert (len(handed.json["handed"]), handed.json["left"]) == (2, [])
    assert [reviewer_of(case) for case in mine] == ["fred", "fred"]
    assert wren.ask("GET", f"/api/cases/{mine[0]}").status_code == 404, "and sees no case's contents"
    assert wren.get(f"/api/people/{leaver}")["cases"] == []
    enabled = wren.ask("POST", f"/api/people/{leaver}/enable", {})
    assert enabled.json["account"]["disabled"] is None
    assert visitor("egon").get("/api/session")["login"] == "egon"


def test_an_administrator_hands_over_no_case_of_their_own_model(app: Flask, visitor: SignIn) -> None:
    with transaction() as session:
        add_person(session, "gero", "Gero Ness", PASSWORD, ("owner", "administrator"))
        of = add_person(session, "hedi", "Hedi Carr", PASSWORD, ("reviewer",)).id
        add_person(session, "ivor", "Ivor Holt", PASSWORD, ("reviewer",))
    gero, hedi = visitor("gero"), visitor("hedi")
    case_id = in_review(gero, hedi, "Of an administrator")
    handed = gero.ask("POST", "/api/holding/hand-over", {"of": of, "to": "ivor", "reason": "Quicker."}).json
    assert handed["handed"] == []
    assert "a model that you belong to" in handed["left"][0]["why"]
    assert reviewer_of(case_id) == "hedi"


def test_a_password_is_rated_in_words_for_whom_it_is(app: Flask, wren: Visitor, visitor: SignIn) -> None:
    def rated(by: Visitor, password: str, secret: str = "") -> Any:
        return by.ask("POST", "/api/password-rating", {"password": password, "secret": secret}).json

    assert rated(wren, "short") == {"good": False, "words": "shorter than 10 characters", "advice": []}
    assert not rated(wren, "wren hale 12")["good"], "it is made of their own name"
    assert rated(wren, GOOD)["good"]
    stranger = Visitor(app.test_client())
    secret = link_for(wren, added(wren, "jana", "owner"))
    assert rated(stranger, "password1234", secret)["words"] == "guessed soon"
    assert rated(stranger, GOOD, secret)["good"]
    assert stranger.ask("POST", "/api/password-rating", {"password": GOOD}).status_code == 404
    changed = visitor("ada").ask("PUT", "/api/password", {"old": PASSWORD, "new": "qwertyuiop"})
    assert changed.status_code == 422
    assert "guessed at once" in changed.json["detail"]


def test_one_s_own_sessions_are_listed_and_ended(visitor: SignIn) -> None:
    with transaction() as session:
        add_person(session, "kuno", "Kuno Beck", PASSWORD, ("owner",))
        add_person(session, "lore", "Lore Senn", PASSWORD, ("owner",))
    here, there, other = visitor("kuno"), visitor("kuno"), visitor("lore")
    mine = here.get("/api/sessions")
    assert [one["this"] for one in mine].count(True) == 1
    elsewhere = next(one["id"] for one in mine if not one["this"])
    assert other.ask("DELETE", f"/api/sessions/{elsewhere}").status_code == 404
    assert there.ask("GET", "/api/session").status_code == 200
    left = here.ask("DELETE", f"/api/sessions/{elsewhere}")
    assert [one["this"] for one in left.json] == [True]
    assert there.ask("GET", "/api/session").status_code == 401
    assert here.ask("DELETE", f"/api/sessions/{elsewhere}").status_code == 404
    assert "ended a session" in security_of("kuno")


def begun(one: Visitor) -> str:
    answer = one.ask("POST", "/api/second-factor", {"password": PASSWORD})
    assert answer.status_code == 200, answer.text
    assert answer.json["uri"].startswith("otpauth://totp/Brookfall")
    assert answer.json["picture"].startswith("data:image/svg+xml")
    secret: str = answer.json["secret"]
    return secret


def code_at(secret: str, steps: int = 0) -> str:
    """What an authenticator shows so many half minutes from now."""
    return pyotp.TOTP(secret).at(now().replace(tzinfo=UTC), counter_offset=steps)


def test_a_second_factor_is_set_up_used_and_lost(app: Flask, visitor: SignIn, wren: Visitor) -> None:
    with transaction() as session:
        person_id = add_person(session, "mila", "Mila Frost", PASSWORD, ("countersigner",)).id
    mila = visitor("mila")
    assert mila.get("/api/second-factor") == {"since": None, "codes": 0}
    assert mila.ask("POST", "/api/second-factor", {"password": "wrong-password"}).status_code == 403
    secret = begun(mila)
    assert signed_in(app, "mila", PASSWORD)[1].status_code == 200, "it does not count before it is confirmed"
    assert mila.ask("PUT", "/api/second-factor", {"code": "000000"}).status_code == 422
    codes = mila.ask("PUT", "/api/second-factor", {"code": code_at(secret)}).json["codes"]
    assert len(set(codes)) == 10
    wanted = signed_in(app, "mila", PASSWORD)[1]
    assert (wanted.status_code, wanted.json["where"]) == (401, "code")
    assert signed_in(app, "mila", "wrong-password")[1].json["where"] == "", "a guess learns nothing of it"
    assert signed_in(app, "mila", PASSWORD, code_at(secret))[1].status_code == 401, "that code was used"
    assert signed_in(app, "mila", PASSWORD, code_at(secret, 1))[1].status_code == 200
    assert signed_in(app, "mila", PASSWORD, f" {codes[0].upper()} ")[1].status_code == 200
    assert signed_in(app, "mila", PASSWORD, codes[0])[1].status_code == 401, "each stands in once"
    assert mila.get("/api/second-factor")["codes"] == 9
    assert [one["second_factor"] for one in wren.get("/api/people") if one["login"] == "mila"] == [True]
    assert mila.ask("POST", "/api/second-factor", {"password": PASSWORD}).status_code == 422, "one at a time"
    gone = wren.ask("DELETE", f"/api/people/{person_id}/second-factor")
    assert not gone.json["account"]["second_factor"]
    assert signed_in(app, "mila", PASSWORD)[1].status_code == 200
    assert wren.ask("DELETE", f"/api/people/{person_id}/second-factor").status_code == 422
    assert security_of("mila").count("used a recovery code") == 1


def test_one_s_own_second_factor_is_taken_away_with_the_password(visitor: SignIn) -> None:
    with transaction() as session:
        add_person(session, "nils", "Nils Orme", PASSWORD, ("owner",))
    nils = visitor("nils")
    nils.ask("PUT", "/api/second-factor", {"code": code_at(begun(nils))})
    assert nils.ask("POST", "/api/second-factor/end", {"password": "wrong-password"}).status_code == 403
    assert nils.get("/api/second-factor")["since"] is not None
    assert nils.ask("POST", "/api/second-factor/end", {"password": PASSWORD}).json == {"since": None, "codes": 0}


def test_an_authenticator_s_clock_may_be_off_by_half_a_minute(app: Flask) -> None:
    with transaction() as session:
        person = add_person(session, "odile", "Odile Penn", PASSWORD, ("owner",))
        from brookfall.desk.second_factor import begin

        secret = begin(session, person, PASSWORD).secret
        confirm(session, person, code_at(secret, -1))
        assert not check(session, person, code_at(secret, -1))
        assert not check(session, person, code_at(secret, 2))
        assert check(session, person, code_at(secret, 1))
        kept = session.scalars(select(SecondFactor.secret).where(SecondFactor.person_id == person.id)).one()
        assert secret not in kept
        unused = session.scalars(select(RecoveryCode).where(RecoveryCode.person_id == person.id)).all()
        assert len(unused) == 10


def test_at_the_command_line_a_house_gets_its_first_administrator(app: Flask) -> None:
    run = CliRunner()
    made = run.invoke(main, ["people", "add", "petra", "--name", "Petra Vale", "--administrator", "--role", "auditor"])
    assert made.exit_code == 0, made.output
    assert "Petra Vale signs in as petra (auditor, administrator)" in made.output
    found = re.search(r"/welcome#(\S+)", made.output)
    assert found is not None
    assert chosen(app, found[1]).status_code == 204
    petra, answer = signed_in(app, "petra")
    assert answer.status_code == 200
    assert petra.ask("GET", "/api/people").status_code == 200
    listed = run.invoke(main, ["people", "list"]).output
    assert re.search(r"petra +Petra Vale; auditor, administrator; signed in \d{4}", listed)
    assert run.invoke(main, ["people", "roles", "petra", "auditor"]).output == "Petra Vale: auditor.\n"
    assert petra.ask("GET", "/api/people").status_code == 403
    reset = run.invoke(main, ["people", "reset", "petra"])
    again = re.search(r"/welcome#(\S+)", reset.output)
    assert again is not None
    assert chosen(app, again[1], "eleven oak doors creak").status_code == 204
    assert petra.ask("GET", "/api/session").status_code == 401, "a new password ends what was open"
    for arguments in (["people", "add", "petra", "--name", "P", "--role", "owner"], ["people", "reset", "nobody"]):
        refused = run.invoke(main, arguments)
        assert refused.exit_code == 2
        assert "Traceback" not in refused.output
    without = run.invoke(main, ["people", "reset", "petra", "--second-factor"])
    assert (without.exit_code, "has no second factor" in without.output) == (2, True)


def test_with_another_secret_key_a_recovery_code_still_lets_in(
    app: Flask, visitor: SignIn, monkeypatch: pytest.MonkeyPatch
) -> None:
    with transaction() as session:
        add_person(session, "tilda", "Tilda Moor", PASSWORD, ("owner",))
    tilda = visitor("tilda")
    secret = begun(tilda)
    codes = tilda.ask("PUT", "/api/second-factor", {"code": code_at(secret)}).json["codes"]
    other = config().model_copy(update={"secret_key": "another key of more than thirty-two"})
    monkeypatch.setattr("brookfall.desk.second_factor.config", lambda: other)
    told = signed_in(app, "tilda", PASSWORD, code_at(secret, 1))[1]
    assert (told.status_code, "the server's secret key is another" in told.json["detail"]) == (422, True)
    assert signed_in(app, "tilda", PASSWORD, codes[0])[1].status_code == 200


def test_a_link_is_mailed_only_where_mail_goes_and_names_the_house(
    wren: Visitor, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    person_id = added(wren, "quinn", "owner", mail="quinn@hollinmoor.example")
    assert not wren.get(f"/api/people/{person_id}")["mails"]
    answer = wren.ask("POST", f"/api/people/{person_id}/link", {"mail": True})
    assert (answer.status_code, answer.json["detail"]) == (422, "This house sends no mail.")
    without = added(wren, "rhea", "owner")
    assert "has no mail address" in wren.ask("POST", f"/api/people/{without}/link", {"mail": True}).json["detail"]


def test_a_submission_of_who_was_disabled_stays(visitor: SignIn, wren: Visitor) -> None:
    with transaction() as session:
        owner = add_person(session, "sven", "Sven Alder", PASSWORD, ("owner",)).id
    case_id = submit(visitor("sven"), named("Of somebody who left"), version="1").json["case_id"]
    page = wren.ask("POST", f"/api/people/{owner}/disable", {"reason": "Left."}).json
    assert [one["name"] for one in page["models"]] == ["Of somebody who left"]
    assert visitor("iris").get(f"/api/cases/{case_id}")["owner"] == "Sven Alder"
    with transaction() as session:
        assert session.get_one(Person, owner).disabled is not None
