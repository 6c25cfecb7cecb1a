"""Forgery is found: by signatures, by anchors outside the database, and from the record down to the stored bytes."""

import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from sqlalchemy import Engine, create_engine, select, text
from sqlalchemy.orm import Session

from brookfall.cli import main
from brookfall.core.evidence.record_line import ANNOUNCED
from brookfall.core.foundation.errors import UserError
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from brookfall.records import anchors, audit_log
from brookfall.records.audit_log import RecordEntry, RecordHead, entry_hash
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.database import transaction
from brookfall.records.record_key import RecordKey, make_key, record_key
from brookfall.records.verification import Verified, verify_everything
from tests.api.packages import countersigned, rendered
from tests.api.test_case import SignIn
from tests.api.test_signing import number_of, proposed


@pytest.fixture
def owner(stores: House) -> Iterator[Session]:
    """Somebody who may do anything to the database, and undoes it in the end."""
    engine: Engine = create_engine(stores.owner_url)
    with Session(engine) as session:
        yield session
        session.rollback()
    engine.dispose()


@pytest.fixture
def few_entries(visitor: SignIn) -> int:
    """How many entries there are, once there are some."""
    with transaction() as session:
        for number in range(4):
            audit_log.append(session, None, "made a token", f"number {number}")
        head = session.get_one(RecordHead, 1)
        return int(head.entries)


def found_by(session: Session) -> Verified:
    session.flush()
    session.expire_all()
    return verify_everything(session)


def forged_from(session: Session, first: int, key: RecordKey | None) -> None:
    """Hashes and links made anew from an entry on, as whoever knows the program could; signed by a key, or as they were."""
    head = session.get_one(RecordHead, 1)
    previous = session.get_one(RecordEntry, first - 1).hash if first > 1 else audit_log.GENESIS
    for number in range(first, head.entries + 1):
        entry = session.get_one(RecordEntry, number)
        entry.previous = previous
        entry.hash = previous = entry_hash(entry)
        if key is not None:
            entry.key_id, entry.signature = key.id, key.sign(entry.hash)
    head.hash = previous


def test_every_entry_is_signed_by_a_key_that_the_record_announces(few_entries: int) -> None:
    with transaction() as session:
        found = verify_everything(session)
        assert found.fault is None
        assert found.signed_from == 1
        first = session.get_one(RecordEntry, 1)
        assert (first.act, first.subject) == (ANNOUNCED, record_key().id)
        assert json.loads(first.after) == {"public": record_key().public}


def test_a_renamed_entry_with_the_chain_made_anew_is_found(few_entries: int, owner: Session) -> None:
    entry = owner.get_one(RecordEntry, few_entries - 2)
    entry.who = "Somebody else"
    owner.flush()
    assert found_by(owner).fault == f"entry {few_entries - 2} was changed after it was written"
    forged_from(owner, few_entries - 2, None)
    assert found_by(owner).fault == f"entry {few_entries - 2} has a signature that is not its own"


def test_entries_of_another_key_are_found(few_entries: int, owner: Session, tmp_path: Path) -> None:
    entry = owner.get_one(RecordEntry, few_entries - 1)
    entry.subject = "something else"
    forged_from(owner, few_entries - 1, make_key(tmp_path / "forger.key"))
    assert found_by(owner).fault == f"entry {few_entries - 1} is signed by a key that nobody vouched for"


@pytest.mark.parametrize("after", ["null", "no JSON", "[]", '{"public": 7}', '{"public": "no hex"}'])
def test_a_forged_announcement_of_anything_is_found(few_entries: int, owner: Session, after: str) -> None:
    entry = owner.get_one(RecordEntry, few_entries - 1)
    entry.act, entry.after = ANNOUNCED, after
    forged_from(owner, few_entries - 1, None)
    assert found_by(owner).fault == f"entry {few_entries - 1} has a signature that is not its own"


def test_an_entry_without_a_signature_is_found(few_entries: int, owner: Session) -> None:
    owner.get_one(RecordEntry, few_entries).signature = None
    assert found_by(owner).fault == f"entry {few_entries} is not signed"


@pytest.fixture
def anchored(few_entries: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A file with an anchor of the record as it is now."""
    file = tmp_path / "anchors.jsonl"
    with transaction() as session:
        assert anchors.anchor_when_due(session, file)
    monkeypatch.setattr(
        "brookfall.records.verification.config", lambda: config().model_copy(update={"anchor_file": file})
    )
    return file


def test_an_end_that_was_cut_off_is_found_by_an_anchor(few_entries: int, anchored: Path, owner: Session) -> None:
    assert found_by(owner).anchors == 1
    assert found_by(owner).fault is None
    last = owner.get_one(RecordEntry, few_entries)
    head = owner.get_one(RecordHead, 1)
    head.entries, head.hash = few_entries - 1, last.previous
    owner.delete(last)
    owner.flush()
    assert audit_log.verify(owner).fault is None, "the chain alone can't know"
    fault = str(found_by(owner).fault)
    assert f"there were {few_entries} entries, and now there are {few_entries - 1}" in fault


def test_a_whole_record_made_anew_is_found_by_an_anchor(
    few_entries: int, anchored: Path, owner: Session, tmp_path: Path
) -> None:
    forger = make_key(tmp_path / "forger.key")
    first = owner.get_one(RecordEntry, 1)
    first.subject, first.after = forger.id, json.dumps({"public": forger.public})
    owner.get_one(RecordEntry, few_entries - 1).who = "Somebody else"
    owner.flush()
    forged_from(owner, 1, forger)
    owner.flush()
    assert audit_log.verify(owner).fault is None, "the chain alone can't know"
    assert "is signed by no key of the record" in str(found_by(owner).fault)


def test_a_forged_anchor_is_found(few_entries: int, anchored: Path, owner: Session) -> None:
    line = json.loads(anchored.read_text())
    anchored.write_text(json.dumps({**line, "entries": line["entries"] - 1}) + "\n")
    assert "is signed by no key of the record" in str(found_by(owner).fault)
    anchored.write_text("no anchor\n")
    assert "line 1 is no anchor" in str(found_by(owner).fault)


def test_the_record_is_anchored_once_a_day(few_entries: int, anchored: Path) -> None:
    with transaction() as session:
        assert not anchors.anchor_when_due(session, anchored), "the last one is of today"
    (kept,) = anchors.read_anchors(anchored)
    key = record_key()
    earlier = (now() - timedelta(hours=25)).isoformat()
    old = anchors.Anchor(earlier, kept.entries, kept.hash, key.id, "")
    signed = {**vars(old), "signature": key.sign(old.text)}
    anchored.write_text(json.dumps(signed) + "\n")
    with transaction() as session:
        assert anchors.anchor_when_due(session, anchored)
        chain = audit_log.verify(session)
        assert len(anchors.read_anchors(anchored)) == 2
        assert anchors.fault_of(session, anchors.read_anchors(anchored), chain) is None


def test_workers_anchor_by_themselves(few_entries: int, tmp_path: Path) -> None:
    from brookfall.engine.anchors import keep_anchored

    file = tmp_path / "folder" / "anchors.jsonl"
    keep_anchored(file)
    keep_anchored(file)
    assert len(anchors.read_anchors(file)) == 1


def test_another_key_signs_once_the_present_one_announced_it(
    few_entries: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "next.key"
    new, before = make_key(file), record_key()
    monkeypatch.setattr(audit_log, "record_key", lambda: new)
    with pytest.raises(UserError, match="does not know the key"), transaction() as session:
        audit_log.append(session, None, "made a token", "with a key of nobody's")
    monkeypatch.setattr(audit_log, "record_key", lambda: before)
    told = CliRunner().invoke(main, ["record", "rotate-key", str(file)])
    assert told.exit_code == 0, told.output
    monkeypatch.setattr(audit_log, "record_key", lambda: new)
    with transaction() as session:
        entry = audit_log.append(session, None, "made a token", "with the new key")
        assert entry.key_id == new.id
        assert verify_everything(session).fault is None
    monkeypatch.setattr(audit_log, "record_key", lambda: before)
    with transaction() as session:
        assert audit_log.append(session, None, "made a token", "with the old one").key_id == before.id
        assert verify_everything(session).fault is None


@pytest.fixture(scope="module")
def decided(workers: House, state: dict[str, str]) -> dict[str, str]:
    return state


def signed_case(visitor: SignIn, decided: dict[str, str]) -> tuple[int, dict[str, Any]]:
    """A countersigned case with its report, made once; its number and its statement."""
    tom = visitor("tom")
    if "base" not in decided:
        decided["base"] = proposed(visitor, "verified")
        assert countersigned(tom, decided["base"], PASSWORD).status_code == 200
        rendered(tom, decided["base"])
    page = tom.get(f"{decided['base']}/decision")
    return number_of(decided["base"]), {**page["statement"], "statement": page["statement_sha256"]}


def test_what_was_signed_is_looked_at_down_to_its_bytes(
    visitor: SignIn, decided: dict[str, str], owner: Session
) -> None:
    _, names = signed_case(visitor, decided)
    sound = found_by(owner)
    assert sound.fault is None
    assert sound.statements >= 1
    assert sound.bytes_checked > 10_000
    report = visitor("tom").get(f"{decided['base']}/report")["shown"]
    for name, words in (
        (names["statement"], "the statement of decision"),
        (names["evidence"], "the evidence file of decision"),
        (names["findings"], "the text of the findings of decision"),
        (names["case"], "the text of the case's facts of decision"),
        (report["pdf_sha256"], "the pdf of the report in entry"),
        (report["html_sha256"], "the html of the report in entry"),
    ):
        owner.execute(text("UPDATE blob_chunk SET data = CONCAT(data, ' ') WHERE sha256 = :s"), {"s": name})
        fault = str(found_by(owner).fault)
        assert fault.startswith(words), words
        assert "is missing or was changed" in fault
        owner.rollback()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ("UPDATE decision SET kind = 'approved' WHERE case_id = :c", "does not say what was signed"),
        ("UPDATE decision SET reasons = 'Better.' WHERE case_id = :c", "does not say what was signed"),
        ("UPDATE decision SET conditions = '[]' WHERE case_id = :c", "does not say what was signed"),
        ("UPDATE decision SET state = 'proposed' WHERE case_id = :c", "stands as proposed, and was countersigned"),
        ("DELETE FROM decision WHERE case_id = :c", "is gone"),
        ("UPDATE case_file SET package_sha256 = REPEAT('0', 64) WHERE id = :c", "has another package"),
        (
            "UPDATE submitted_file SET path = CONCAT(path, '.old') WHERE case_id = :c",
            "is not the one that was submitted",
        ),
    ],
    ids=["kind", "reasons", "conditions", "state", "gone", "package", "another file"],
)
def test_a_decision_that_says_something_else_is_found(
    visitor: SignIn, decided: dict[str, str], owner: Session, change: str, words: str
) -> None:
    case_id, _ = signed_case(visitor, decided)
    if change.startswith("DELETE"):
        owner.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
    owner.execute(text(change), {"c": case_id})
    fault = found_by(owner).fault
    owner.rollback()
    owner.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    assert words in str(fault)


def test_a_decision_that_nobody_entered_is_found(visitor: SignIn, decided: dict[str, str], owner: Session) -> None:
    case_id, names = signed_case(visitor, decided)
    owner.execute(
        text(
            "INSERT INTO decision (case_id, kind, reasons, conditions, state, proposed_by, proposed, comment, "
            "statement_sha256) SELECT case_id, kind, reasons, conditions, state, proposed_by, proposed, comment, "
            ":s FROM decision WHERE case_id = :c LIMIT 1"
        ),
        {"c": case_id, "s": names["findings"]},
    )
    assert "has a statement that nobody entered in the record" in str(found_by(owner).fault)


def test_a_submitted_file_that_was_changed_is_found_by_the_command_and_not_by_the_page(
    visitor: SignIn, decided: dict[str, str], owner: Session
) -> None:
    case_id, _ = signed_case(visitor, decided)
    query = text("SELECT sha256 FROM submitted_file WHERE case_id = :c ORDER BY id LIMIT 1")
    name = owner.execute(query, {"c": case_id}).scalar_one()
    owner.execute(text("UPDATE blob_chunk SET data = CONCAT(data, ' ') WHERE sha256 = :s"), {"s": name})
    owner.flush()
    assert verify_everything(owner, files=False).fault is None
    # Another case may have had the very file before: bytes are kept once.
    assert str(found_by(owner).fault).endswith(f"is missing or was changed: {name}")


def test_the_command_says_what_holds_and_what_is_amiss(visitor: SignIn, decided: dict[str, str], stores: House) -> None:
    _, names = signed_case(visitor, decided)
    sound = CliRunner().invoke(main, ["verify"])
    assert sound.exit_code == 0, sound.output
    assert "signed from entry 1 on" in sound.output
    assert "all they name are whole" in sound.output
    engine = create_engine(stores.owner_url)
    spoil = text("UPDATE blob_chunk SET data = :d WHERE sha256 = :s")
    with engine.begin() as connection:
        kept = connection.execute(
            text("SELECT data FROM blob_chunk WHERE sha256 = :s"), {"s": names["findings"]}
        ).scalar()
        connection.execute(spoil, {"d": b"{}", "s": names["findings"]})
    try:
        amiss = CliRunner().invoke(main, ["verify"])
        assert amiss.exit_code == 1
        assert "Amiss: the text of the findings of decision" in amiss.output
        shown = visitor("ada").get("/api/record/verification")
        assert shown["fault"].startswith("the text of the findings of decision")
    finally:
        with engine.begin() as connection:
            connection.execute(spoil, {"d": kept, "s": names["findings"]})
        engine.dispose()
    assert visitor("ada").get("/api/record/verification")["fault"] is None


def test_entries_from_before_there_were_signatures_stay_and_those_after_are_signed(owner: Session) -> None:
    query = select(RecordEntry.id).where(RecordEntry.signature.is_(None))
    assert owner.scalars(query).all() == []
    unsigned = 3
    owner.execute(text("UPDATE record_entry SET signature = NULL, key_id = NULL WHERE id <= :n"), {"n": unsigned})
    owner.execute(text("DELETE FROM announced_key"))
    first = owner.get_one(RecordEntry, 1)
    first.act, first.subject, first.after = "did", "something", "null"
    later = owner.get_one(RecordEntry, unsigned + 1)
    later.act, later.subject, later.after = (
        ANNOUNCED,
        record_key().id,
        json.dumps({"public": record_key().public}),
    )
    owner.flush()
    head = owner.get_one(RecordHead, 1)
    previous = audit_log.GENESIS
    for number in range(1, head.entries + 1):
        entry = owner.get_one(RecordEntry, number)
        entry.previous = previous
        entry.hash = previous = entry_hash(entry)
        if number > unsigned:
            entry.key_id, entry.signature = record_key().id, record_key().sign(entry.hash)
    head.hash = previous
    owner.flush()
    found = audit_log.verify(owner)
    assert (found.fault, found.signed_from) == (None, unsigned + 1)
