"""Letters: written from what waits and what was done, sent by SMTP to a stand-in, tried again when it does not answer."""

import email
import re
import socket
from collections.abc import Iterator
from dataclasses import replace
from datetime import date, timedelta
from email.message import EmailMessage
from email.policy import default
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from brookfall.api import account_routes
from brookfall.demo.seed import PASSWORD
from brookfall.desk import accounts, letters
from brookfall.desk.letter_text import Line
from brookfall.desk.people import add_person
from brookfall.engine import letters as post
from brookfall.launch.mail_stand_in import stand_in
from brookfall.records.anchors import fault_of, read_anchors
from brookfall.records.audit_log import RecordHead, verify
from brookfall.records.clock import now
from brookfall.records.config import config, today
from brookfall.records.database import transaction
from brookfall.records.letters import Letter, ToldOf
from brookfall.records.people import Person
from tests.api.conftest import Visitor
from tests.api.packages import submit
from tests.api.test_case import SignIn
from tests.api.test_finding_life import acted, written
from tests.api.test_inventory import named


@pytest.fixture
def port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        found: int = probe.getsockname()[1]
        return found


@pytest.fixture
def mails(port: int, monkeypatch: pytest.MonkeyPatch, app: Any) -> None:
    """A house that mails to a stand-in on that port, whether one is there or not."""
    update = {"mail_server": f"smtp://127.0.0.1:{port}", "public_url": "https://brookfall.example"}
    told = config().model_copy(update={**update, "mail_from": "brookfall@brookfall.example"})
    for module in (letters, post, accounts, account_routes):
        monkeypatch.setattr(module, "config", lambda: told)
    with transaction() as session:
        for person in session.scalars(select(Person)):
            person.mail = None
        for letter in session.scalars(select(Letter).where(Letter.state == "waiting")):
            letter.state = "failed"


@pytest.fixture
def box(port: int, tmp_path: Path, mails: None) -> Iterator[Path]:
    """The stand-in's folder."""
    controller = stand_in(port, tmp_path / "mail")
    controller.start()
    yield tmp_path / "mail"
    controller.stop()


def posted(box: Path) -> list[EmailMessage]:
    """What came since the last time."""
    found = [email.message_from_bytes(path.read_bytes(), policy=default) for path in sorted(box.glob("*.eml"))]
    for path in box.glob("*.eml"):
        path.unlink()
    return found


def rounds() -> None:
    letters.write_letters()
    post.send_letters()


def mailed(visitor: Visitor, address: str, when: str = "at_once") -> None:
    answer = visitor.ask("PUT", "/api/mail", {"address": address, "when": when})
    assert answer.status_code == 200, answer.text
    assert answer.json == {"address": address, "when": when, "sends": True}


@pytest.fixture
def pair(visitor: SignIn, mails: None) -> tuple[Visitor, Visitor]:
    """An owner and a reviewer of this file alone, both mailed from now on."""
    with transaction() as session:
        for login, name, roles in (("olive", "Olive Reed", ("owner",)), ("rufus", "Rufus Hay", ("reviewer",))):
            if session.scalar(select(Person.id).where(Person.login == login)) is None:
                add_person(session, login, name, PASSWORD, roles)
    olive, rufus = visitor("olive"), visitor("rufus")
    mailed(olive, "olive@house.example")
    mailed(rufus, "rufus@house.example")
    rounds()
    return olive, rufus


def body(message: EmailMessage, kind: str = "plain") -> str:
    part = message.get_body((kind,))
    assert part is not None
    return str(part.get_content())


def taken_case(olive: Visitor, rufus: Visitor, name: str) -> str:
    answer = submit(olive, named(name), version="1")
    assert answer.status_code == 200, answer.text
    base = f"/api/cases/{answer.json['case_id']}"
    assert rufus.ask("POST", f"{base}/take").status_code == 200
    return base


def test_a_finding_is_told_to_its_owner_with_the_place_to_answer_it(pair: tuple[Visitor, Visitor], box: Path) -> None:
    olive, rufus = pair
    base = taken_case(olive, rufus, "Told of by mail")
    rounds()
    posted(box)
    finding = written(rufus, base, title="It <leans> & leaks")
    rounds()
    (letter,) = posted(box)
    assert (letter["To"], letter["From"]) == ("olive@house.example", "Brookfall <brookfall@brookfall.example>")
    by = f"{today() + timedelta(days=14):%-d %b %Y}"
    assert letter["Subject"] == f"Brookfall: Told of by mail 1: 1 finding waits for your answer, due {by}"
    assert f"https://brookfall.example{base.removeprefix('/api')}/findings" in body(letter)
    assert "Rufus Hay wrote a finding (1: It <leans> & leaks)" in body(letter)
    assert "It &lt;leans&gt; &amp; leaks" in body(letter, "html")
    assert "<leans>" not in body(letter, "html")
    # Told once.
    rounds()
    assert posted(box) == []
    acted(olive, base, finding, "answer", answer="agrees")
    rounds()
    (letter,) = posted(box)
    assert letter["To"] == "rufus@house.example"
    assert "to be judged: the owner has answered" in body(letter)
    # What one did oneself is no news.
    assert "Rufus Hay" not in body(letter)


def test_what_is_entered_while_a_letter_is_written_is_told_by_the_next_alone(
    pair: tuple[Visitor, Visitor], mails: None
) -> None:
    """The letter goes as far as the record went when it was begun, however far that is by now."""
    olive, rufus = pair
    base = taken_case(olive, rufus, "Entered meanwhile")
    with transaction() as session:
        first = session.get_one(RecordHead, 1).entries
    written(rufus, base, title="Meanwhile")
    with transaction() as session:
        head = session.get_one(RecordHead, 1).entries
        person = session.scalars(select(Person).where(Person.login == "olive")).one()
        assert letters._changes(session, person, first - 1, first)[0] == [
            Line("Entered meanwhile 1: Rufus Hay took the case", f"https://brookfall.example{base[4:]}")
        ]
        ((line,), more) = letters._changes(session, person, first, head)
    assert ("Meanwhile" in line.words, more) == (True, 0)


def test_a_draft_is_told_to_nobody_before_it_is_sent(pair: tuple[Visitor, Visitor], box: Path) -> None:
    olive, rufus = pair
    base = taken_case(olive, rufus, "Drafted in quiet")
    rounds()
    posted(box)
    draft = written(rufus, base, draft=True)
    rounds()
    assert posted(box) == []
    acted(rufus, base, draft, "send")
    rounds()
    (letter,) = posted(box)
    assert "sent a finding" in body(letter)
    assert "drafted" not in body(letter)


def test_what_waited_before_one_was_mailed_is_not_told_again(visitor: SignIn, box: Path) -> None:
    mailed(visitor("tom"), "tom@house.example")
    rounds()
    assert posted(box) == []


def test_a_digest_comes_once_a_day_in_the_morning(
    pair: tuple[Visitor, Visitor], box: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    olive, rufus = pair
    base = taken_case(olive, rufus, "Told once a day")
    rounds()
    posted(box)
    mailed(olive, "olive@house.example", "daily")
    written(rufus, base)
    rounds()
    assert posted(box) == []
    at_day(monkeypatch, today() + timedelta(days=1), hour=6)
    rounds()
    assert posted(box) == []
    at_day(monkeypatch, today() + timedelta(days=1), hour=7)
    rounds()
    (letter,) = posted(box)
    assert "Here is how things stand." in body(letter)
    assert "Told once a day 1: 1 finding waits for your answer" in body(letter)
    rounds()
    assert posted(box) == []
    at_day(monkeypatch, today() + timedelta(days=2), hour=9)
    rounds()
    assert posted(box) == [], "nothing is new"


def at_day(monkeypatch: pytest.MonkeyPatch, day: date, hour: int) -> None:
    monkeypatch.setattr(letters, "today", lambda: day)
    monkeypatch.setattr(letters, "hour_now", lambda: hour)


def test_nobody_is_mailed_who_wants_none_or_can_not_sign_in(pair: tuple[Visitor, Visitor], box: Path) -> None:
    olive, rufus = pair
    base = taken_case(olive, rufus, "Told to nobody")
    rounds()
    posted(box)
    mailed(olive, "olive@house.example", "never")
    written(rufus, base)
    rounds()
    assert posted(box) == []
    mailed(olive, "olive@house.example", "at_once")
    with transaction() as session:
        session.scalars(select(Person).where(Person.login == "olive")).one().disabled = now()
    written(rufus, base, title="Another")
    rounds()
    with transaction() as session:
        session.scalars(select(Person).where(Person.login == "olive")).one().disabled = None
    assert posted(box) == []


def test_a_server_that_does_not_answer_holds_up_nothing_and_is_tried_again(
    pair: tuple[Visitor, Visitor], port: int, tmp_path: Path
) -> None:
    olive, rufus = pair
    base = taken_case(olive, rufus, "Tried again")
    written(rufus, base)
    rounds()
    waiting = olive.get("/api/letters")[0]
    assert waiting["state"] == "waiting"
    assert "refused" in waiting["said"].lower()
    with transaction() as session:
        letter = session.get_one(Letter, waiting["id"])
        assert (letter.attempts, letter.next_try > now()) == (1, True)
    # Not before its time.
    post.send_letters()
    with transaction() as session:
        letter = session.get_one(Letter, waiting["id"])
        assert letter.attempts == 1
        for one in session.scalars(select(Letter).where(Letter.state == "waiting")):
            one.next_try = now()
    controller = stand_in(port, tmp_path / "late")
    controller.start()
    try:
        post.send_letters()
    finally:
        controller.stop()
    assert olive.get("/api/letters")[0]["state"] == "sent"
    assert "olive@house.example" in {letter["To"] for letter in posted(tmp_path / "late")}


def test_a_letter_that_can_never_be_sent_is_given_up_and_says_why(
    pair: tuple[Visitor, Visitor], monkeypatch: pytest.MonkeyPatch
) -> None:
    olive, rufus = pair
    written(rufus, taken_case(olive, rufus, "Given up"))
    monkeypatch.setattr(post, "_MOST_ATTEMPTS", 2)
    rounds()
    with transaction() as session:
        for one in session.scalars(select(Letter).where(Letter.state == "waiting")):
            one.next_try = now()
    post.send_letters()
    given_up = olive.get("/api/letters")[0]
    assert given_up["state"] == "failed"
    assert given_up["said"]


def test_an_address_that_the_server_refuses_holds_up_no_other(
    pair: tuple[Visitor, Visitor], port: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    olive, rufus = pair
    base = taken_case(olive, rufus, "Refused address")
    mailed(rufus, "rufus@house.example")
    controller = stand_in(port, tmp_path / "mail")

    async def refuse(server: Any, session: Any, envelope: Any, address: str, options: Any) -> str:
        if address.startswith("olive"):
            return "550 No such person"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    controller.handler.handle_RCPT = refuse
    finding = written(rufus, base)
    acted(olive, base, finding, "answer", answer="agrees")
    acted(rufus, base, finding | {"revision": finding["revision"] + 1}, "comment", text="Thank you.")
    controller.start()
    try:
        rounds()
    finally:
        controller.stop()
    assert {letter["To"] for letter in posted(tmp_path / "mail")} == {"rufus@house.example"}
    assert "No such person" in olive.get("/api/letters")[0]["said"]


def test_auditors_are_sent_the_record_s_head_once_a_day(
    visitor: SignIn, box: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    mailed(visitor("ada"), "ada@house.example")
    rounds()
    posted(box)
    rounds()
    with transaction() as session:
        head = session.get_one(RecordHead, 1)
        entries, last = head.entries, head.hash
    found = [one for one in posted(box) if "the record on" in one["Subject"]]
    assert len(found) == 1
    assert f"Entries: {entries}" in body(found[0])
    assert f"Hash of the last: {last}" in body(found[0])
    # The signed line is one that the record is held to where it stands among the anchors.
    (line,) = re.findall(r"anchor file: (\{.*\})", body(found[0]))
    file = tmp_path / "from-a-letter.jsonl"
    file.write_text(f"{line}\n")
    (anchor,) = read_anchors(file)
    assert (anchor.entries, anchor.hash) == (entries, last)
    with transaction() as session:
        assert fault_of(session, [anchor], verify(session)) is None
        assert fault_of(session, [replace(anchor, hash="0" * 64)], verify(session)) is not None
    rounds()
    assert not [one for one in posted(box) if "the record on" in one["Subject"]]
    at_day(monkeypatch, today() + timedelta(days=1), hour=0)
    rounds()
    assert len([one for one in posted(box) if "the record on" in one["Subject"]]) == 1


WRONG = ["nell", "nell@", "@house", "nell at house", "a@b, c@d", "a@b\nBcc: c@d", "<a@b>"]


@pytest.mark.parametrize("address", WRONG)
def test_what_is_no_address_is_refused(visitor: SignIn, address: str) -> None:
    answer = visitor("nell").ask("PUT", "/api/mail", {"address": address, "when": "at_once"})
    assert (answer.status_code, "no mail address" in answer.json["detail"]) == (422, True)


def test_the_record_tells_that_mail_was_chosen_and_not_where(visitor: SignIn, mails: None) -> None:
    mailed(visitor("iris"), "iris@secret.example", "daily")
    mailed(visitor("iris"), "iris@secret.example", "daily")
    (entry, *_) = visitor("ada").get("/api/record?kind=people")["entries"]
    assert (entry["act"], entry["subject"]) == ("chose how to be mailed", "Iris Marrow")
    assert "secret.example" not in str(entry)
    mailed(visitor("iris"), "", "at_once")


def test_a_letter_is_seen_by_whom_it_is_to_alone(pair: tuple[Visitor, Visitor], visitor: SignIn, box: Path) -> None:
    olive, rufus = pair
    written(rufus, taken_case(olive, rufus, "Seen by one"))
    rounds()
    assert olive.get("/api/letters")[0]["subject"].startswith("Brookfall: Seen by one 1")
    assert not any("Seen by one" in one["subject"] for one in visitor("ada").get("/api/letters"))
    with transaction() as session:
        assert session.get(ToldOf, olive.get("/api/session")["id"]) is not None


def test_a_one_time_link_is_mailed_to_its_person_alone(visitor: SignIn, app: Any, box: Path) -> None:
    wren = visitor("wren")
    new = {"login": "wilma", "name": "Wilma Rill", "roles": ["owner"], "mail": "wilma@house.example"}
    page = wren.ask("POST", "/api/people", new).json
    assert page["mails"]
    link = wren.ask("POST", f"/api/people/{page['account']['id']}/link", {"mail": True})
    assert (link.json["link"], link.json["mailed_to"]) == ("", "wilma@house.example")
    rounds()
    (message,) = posted(box)
    assert (message["To"], message["Subject"]) == ("wilma@house.example", "Your password for Brookfall")
    assert "you sign in to Brookfall as wilma" in body(message)
    found = re.search(r"https://brookfall\.example/welcome#(\S+)", body(message))
    assert found is not None
    assert found[1] in body(message, "html")
    use = {"secret": found[1], "password": "seven grey herons wade"}
    assert Visitor(app.test_client()).ask("PUT", "/api/password-link", use).status_code == 204
