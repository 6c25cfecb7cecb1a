"""Rows of a decided case go after their term, by two people's word; what was found and signed stays, and verifies."""

import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import date
from typing import Any
from zlib import crc32

import pytest
from click.testing import CliRunner
from sqlalchemy import create_engine, func, select, text
from sqlalchemy.orm import Session

from brookfall.cli import main
from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.launch.house import House
from brookfall.records import audit_log, blobs, erasures
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Blob, BlobChunk, Case, KeptLook, SubmittedFile
from brookfall.records.clock import now
from brookfall.records.database import engine, transaction
from brookfall.records.disk_cache import cached_file
from brookfall.records.erasures import Erasure
from brookfall.records.findings_and_decisions import Decision, StoredExhibit
from brookfall.records.people import Person
from brookfall.records.runs import Reading, Run, RunFit
from brookfall.records.scorings import Scoring
from brookfall.records.tables import stored_columns
from brookfall.records.verification import verify_everything
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, rendered, submit
from tests.api.test_case import SignIn, finished, plan_of, proposal, ran, taken
from tests.api.test_data import change
from tests.api.test_drafts import added
from tests.api.test_new_rows import scored
from tests.api.test_signing import number_of, proposed
from tests.conftest import as_owner, files_of, rows_csv, until

REASON = "The purpose for which the rows were collected is over."
ROWS = rows_csv(n=300, seed=91).replace(",blue,", ",mauve,", 3)
OTHER_ROWS = "\n".join(line.replace("young", "middle") for line in ROWS.splitlines()) + "\n"
"""As ``ROWS``, but for one column."""


def decided(visitor: SignIn, version: str, csv: str, years_ago: int = 20) -> str:
    """A case that was countersigned so many years ago, and its report."""
    files = files_of(csv, claims=[], recipe={"family": "logistic", "threshold": 0.5, "seed": crc32(version.encode())})
    base = ran(visitor, version, ["profile", "holdout", "gap"], files)
    assert visitor("iris").ask("POST", f"{base}/decision", proposal()).status_code == 200
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    rendered(visitor("tom"), base)
    moved(base, years_ago)
    return base


def moved(base: str, years_ago: int) -> None:
    with transaction() as session:
        of_case = select(Decision).where(Decision.case_id == number_of(base), Decision.state == "accepted")
        session.scalars(of_case).one().answered = now().replace(year=now().year - years_ago)


def columns(base: str, table: str = "", version: int = 1) -> dict[str, str]:
    """The SHA-256 of the values of each column of a table, by its name."""
    with transaction() as session:
        return {one.name: one.values_sha256 for one in stored_columns(session, number_of(base), table, version)}


def propose(visitor: Visitor, base: str, **changes: Any) -> Answer:
    body = {"reason": REASON, "password": PASSWORD, **changes}
    return visitor.ask("POST", f"/api/retention/{number_of(base)}/proposal", body)


def answer(visitor: Visitor, base: str, **changes: Any) -> Answer:
    body = {"agree": True, "password": PASSWORD, **changes}
    return visitor.ask("POST", f"/api/retention/{number_of(base)}/answer", body)


def line_of(visitor: Visitor, base: str) -> dict[str, Any]:
    (line,) = [one for one in visitor.get("/api/retention")["lines"] if one["case_id"] == number_of(base)]
    return dict(line)


def taken_away(visitor: SignIn, base: str) -> dict[str, Any]:
    """What is said of the erasure of a case once it was proposed, agreed to, and carried out."""
    assert propose(visitor("wren"), base).status_code == 200
    agreed = answer(visitor("tom"), base)
    assert agreed.status_code == 200, agreed.text
    assert until(lambda: line_of(visitor("tom"), base)["erasure"]["state"] == "done", 60)
    return dict(line_of(visitor("tom"), base)["erasure"])


@dataclass
class Gone:
    """A case whose rows were taken away, what was said of it, what it had before, and a case that shares columns."""

    base: str
    said: dict[str, Any]
    other: str
    files: dict[str, str]
    evidence: bytes
    pdf: bytes


@pytest.fixture
def gone(visitor: SignIn, workers: House, made: dict[str, Gone]) -> Gone:
    if "gone" not in made:
        other = decided(visitor, "keeps its rows", OTHER_ROWS)
        base = decided(visitor, "loses its rows", ROWS)
        tom = visitor("tom")
        assert tom.get(f"{base}/look")["ready"]
        before = {form: tom.ask("GET", f"{base}/report/{form}").data for form in ("json", "pdf")}
        files = {one["path"]: one["sha256"] for one in tom.get(base)["files"]}
        said = taken_away(visitor, base)
        made["gone"] = Gone(base, said, other, files, before["json"], before["pdf"])
    return made["gone"]


@pytest.fixture(scope="module")
def made() -> dict[str, Gone]:
    return {}


def test_rows_are_kept_until_their_term_is_over(visitor: SignIn, workers: House) -> None:
    base = decided(visitor, "term not over", rows_csv(n=200, seed=92), years_ago=2)
    line = line_of(visitor("wren"), base)
    assert date.fromisoformat(line["kept_until"]).year == now().year + 1, "three years for a model of tier 3"
    assert line["why_not"].startswith("They are kept until")
    early = propose(visitor("wren"), base)
    assert early.status_code == 422
    assert f"until {date.fromisoformat(line['kept_until']):%-d %b %Y}" in early.json["detail"]
    moved(base, 3)
    on_the_day = propose(visitor("wren"), base)
    assert on_the_day.status_code == 422, "the last day of the term counts"
    moved(base, 4)
    assert line_of(visitor("wren"), base)["why_not"] == ""
    assert propose(visitor("wren"), base).status_code == 200
    assert propose(visitor("wren"), base).json["detail"] == "It was proposed, or done, already."
    # Its owner's word since: what is in use keeps its rows, whoever agreed to what.
    key = visitor("iris").get(base)["model_key"]
    nell = visitor("nell")
    used = nell.get(f"/api/models/{key}")["in_use"]
    assert nell.ask("PUT", f"/api/models/{key}/in-use", {"version": "term not over"}).status_code == 200
    in_use = answer(visitor("tom"), base)
    assert (in_use.status_code, in_use.json["detail"][-22:]) == (422, "The version is in use.")
    assert nell.ask("PUT", f"/api/models/{key}/in-use", {"version": used}).status_code == 200
    no_word = answer(visitor("tom"), base, agree=False)
    assert no_word.json["detail"] == "Nothing says why they stay."
    declined = answer(visitor("tom"), base, agree=False, comment="A complaint is pending.")
    assert declined.status_code == 200
    line = line_of(visitor("ada"), base)
    assert (line["erasure"]["state"], line["erasure"]["comment"]) == ("declined", "A complaint is pending.")
    assert visitor("tom").ask("POST", f"{base}/rows", {}).status_code == 200
    assert line_of(visitor("wren"), base)["may_propose"], "it can be proposed again"


def test_two_people_who_may_are_needed(visitor: SignIn, workers: House) -> None:
    base = decided(visitor, "two people", rows_csv(n=200, seed=93))
    with transaction() as session:
        if session.scalar(select(Person.id).where(Person.login == "both")) is None:
            add_person(session, "both", "Bo Thorn", PASSWORD, ("administrator", "countersigner"))
            add_person(session, "owns", "Olga Winn", PASSWORD, ("owner", "administrator", "countersigner"))
        owns = session.scalars(select(Person.id).where(Person.login == "owns")).one()
        was, session.get_one(Case, number_of(base)).owner_id = session.get_one(Case, number_of(base)).owner_id, owns
    for login in ("nell", "iris"):
        assert visitor(login).ask("GET", "/api/retention").status_code == 403
    for login in ("nell", "iris", "tom", "ada", "owns"):
        assert propose(visitor(login), base).status_code == 403, login
    assert propose(visitor("wren"), base, password="wrong").status_code == 403
    assert propose(visitor("wren"), base, reason="  ").json["detail"] == "Nothing says why the rows go."
    assert answer(visitor("tom"), base).json["detail"] == "Nothing of this case is proposed to be taken away."
    assert propose(visitor("both"), base).status_code == 200
    for login in ("nell", "iris", "wren", "ada", "owns", "both"):
        assert answer(visitor(login), base).status_code == 403, login
    assert answer(visitor("both"), base).json["detail"] == "You proposed it, so somebody else must agree."
    assert answer(visitor("tom"), base, password="wrong").status_code == 403
    assert line_of(visitor("tom"), base)["erasure"]["state"] == "proposed"
    assert not line_of(visitor("both"), base)["may_answer"]
    assert line_of(visitor("tom"), base)["may_answer"]
    with transaction() as session:
        session.get_one(Case, number_of(base)).owner_id = was
    assert answer(visitor("tom"), base, agree=False, comment="Not yet.").status_code == 200


def test_no_undecided_case_is_named(visitor: SignIn, workers: House) -> None:
    base = proposed(visitor, "not decided, kept")
    for asked in (propose(visitor("wren"), base), propose(visitor("wren"), "/api/cases/99999999")):
        assert (asked.status_code, asked.json["detail"]) == (404, "There is no such decided case.")
    assert number_of(base) not in [line["case_id"] for line in visitor("wren").get("/api/retention")["lines"]]


def test_the_bytes_are_gone_and_their_hashes_stay(gone: Gone, visitor: SignIn) -> None:
    assert gone.said["done"] == gone.said["needed"] > 4
    assert gone.said["freed"] > len(ROWS) > 0
    with transaction() as session:
        for path, name in gone.files.items():
            is_there = session.scalar(select(func.count()).where(BlobChunk.sha256 == name)) != 0
            assert is_there == (path == "submission.yaml"), path
            assert session.get_one(Blob, name).size > 0
            assert cached_file(name).is_file() <= is_there
    assert {one["path"]: one["sha256"] for one in visitor("tom").get(gone.base)["files"]} == gone.files


def test_what_another_case_has_stays(gone: Gone, visitor: SignIn) -> None:
    assert gone.said["shared"] >= 5, "columns that both have"
    rows = visitor("tom").ask("POST", f"{gone.other}/rows", {})
    assert rows.status_code == 200
    assert rows.json["total"] == 300
    with transaction() as session:
        of_other = select(RunFit.fit_key).join(Run, Run.id == RunFit.run_id).where(Run.case_id == number_of(gone.other))
        assert session.scalar(select(func.count()).where(Reading.fit_key.in_(of_other))) != 0


def test_scores_of_rows_and_looks_are_gone(gone: Gone) -> None:
    with transaction() as session:
        of_case = select(RunFit.fit_key).join(Run, Run.id == RunFit.run_id).where(Run.case_id == number_of(gone.base))
        fits = session.scalars(of_case).all()
        assert fits
        assert session.scalar(select(func.count()).where(Reading.fit_key.in_(fits))) == 0
        assert session.scalar(select(func.count()).where(KeptLook.case_id == number_of(gone.base))) == 0


def test_a_level_that_few_have_is_said_no_more(gone: Gone, visitor: SignIn) -> None:
    with transaction() as session:
        kept = {one.name: one.profile["bars"] for one in stored_columns(session, number_of(gone.base))}
    assert {bar["label"] for bar in kept["kind"]} == {"red", "green", "blue"}, "three rows are mauve"
    assert {bar["label"] for bar in kept["sex"]} == {"f", "m"}
    assert len(kept["x"]) > 2, "a histogram of numbers is a figure"
    (column,) = [one for one in visitor("tom").get(f"{gone.base}/data")["columns"] if one["name"] == "kind"]
    assert (len(column["bars"]), column["distinct"]) == (3, 4)


def test_what_was_found_and_signed_stays(gone: Gone, visitor: SignIn) -> None:
    tom = visitor("tom")
    assert tom.ask("GET", f"{gone.base}/report/json").data == gone.evidence
    assert tom.ask("GET", f"{gone.base}/report/pdf").data == gone.pdf
    case = tom.get(gone.base)
    assert case["rows_taken"]
    assert not case["may"]["replay"]
    for page in ("/data", "/plan", "/exhibits/1", "/findings", "/decision", "/report", "/run"):
        assert tom.ask("GET", f"{gone.base}{page}").status_code == 200, page
    with transaction() as session:
        assert session.scalar(select(func.count()).where(StoredExhibit.case_id == number_of(gone.base))) != 0


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "/rows", {}),
        ("GET", "/look", None),
        ("GET", "/package", None),
        ("GET", "/column?name=x", None),
        ("GET", "/comparison?part=test&measure=auc", None),
        ("POST", "/behind", {"behind": {"model": "recipe", "part": "test", "threshold": 0.5}}),
        ("GET", "/behind/csv?model=recipe&part=test", None),
        ("POST", "/exhibits/2/replay", None),
    ],
)
def test_who_asks_for_rows_is_told_that_they_are_gone(
    gone: Gone, visitor: SignIn, method: str, path: str, body: dict[str, Any] | None
) -> None:
    asked = visitor("tom").ask(method, f"{gone.base}{path}", body)
    assert asked.status_code == 404, asked.text
    assert "were taken away on" in asked.json["detail"]
    assert "signed are here still" in asked.json["todo"]


def test_the_record_says_who_and_why_and_verifies(gone: Gone) -> None:
    with transaction() as session:
        of_case = select(RecordEntry).where(RecordEntry.case_id == number_of(gone.base)).order_by(RecordEntry.id)
        *_, first, second, third = session.scalars(of_case)
        assert [first.act, second.act] == ["proposed to take rows away", "agreed to take rows away"]
        assert [first.who, second.who] == ["Wren Hale", "Tom Aldous"]
        said = json.loads(second.after)
        assert (said["reason"], said["proposed_by"]) == (REASON, "Wren Hale")
        assert said["files"] == {path: name for path, name in gone.files.items() if path != "submission.yaml"}
        assert third.act == "took rows away"
        assert json.loads(third.after)["shared"] == gone.said["shared"]
        found = verify_everything(session)
    assert found.fault is None
    assert found.erased >= 1
    told = CliRunner().invoke(main, ["verify"])
    assert told.exit_code == 0, told.output
    assert f"{found.erased} files were taken away after their term" in told.output


def test_bytes_that_are_gone_without_a_word_of_two_people_are_missed(gone: Gone, stores: House) -> None:
    owner = create_engine(stores.owner_url)
    with Session(owner) as session:
        name = session.scalars(
            select(SubmittedFile.sha256).where(
                SubmittedFile.case_id == number_of(gone.other), SubmittedFile.path == "data/rows.csv"
            )
        ).one()
        session.execute(text("DELETE FROM blob_chunk WHERE sha256 = :s"), {"s": name})
        session.execute(text("UPDATE `blob` SET erased = UTC_TIMESTAMP() WHERE sha256 = :s"), {"s": name})
        assert str(verify_everything(session).fault).startswith("data/rows.csv of case")
        session.rollback()
    with Session(owner) as session:
        # The one who agreed proposed it as well, as whoever owns the tables could make it look: a forged entry besides.
        entry = session.scalars(select(RecordEntry).where(RecordEntry.act == "agreed to take rows away")).first()
        assert entry is not None
        entry.person_id = session.scalars(select(Person.id).where(Person.login == "wren")).one()
        session.flush()
        assert "was changed after it was written" in str(verify_everything(session).fault)
        session.rollback()
    owner.dispose()


def test_the_auditor_is_told_and_nobody_else(gone: Gone, visitor: SignIn) -> None:
    told = {one["case_id"]: one for one in visitor("ada").get("/api/inbox")["erasures"]}
    one = told[number_of(gone.base)]
    assert (one["proposed_by"], one["answered_by"], one["reason"]) == ("Wren Hale", "Tom Aldous", REASON)
    assert visitor("tom").get("/api/inbox")["erasures"] == []
    assert visitor("nell").get("/api/inbox")["erasures"] == []
    assert visitor("wren").get("/api/cases")["cases"] == []
    assert line_of(visitor("ada"), gone.base)["erasure"]["state"] == "done"


def test_the_same_rows_may_be_sent_again(gone: Gone, visitor: SignIn) -> None:
    files = files_of(ROWS, claims=[])
    again = submit(visitor("nell"), files, version="sent again")
    assert again.status_code == 200, again.text
    base = f"/api/cases/{again.json['case_id']}"
    assert visitor("tom").ask("POST", f"{base}/rows", {}).json["total"] == 300
    with transaction() as session:
        assert blobs.from_database(session, sha256(files["data/rows.csv"])) == files["data/rows.csv"]
        assert verify_everything(session).fault is None
    assert visitor("tom").ask("POST", f"{gone.base}/rows", {}).status_code == 404, "the old case's rows stay away"


def test_it_goes_on_where_a_worker_died(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.erasures import take_rows_away

    base = decided(visitor, "half gone", rows_csv(n=200, seed=94))
    with transaction() as session:
        case = session.get_one(Case, number_of(base))
        wren, tom = (session.scalars(select(Person.id).where(Person.login == one)).one() for one in ("wren", "tom"))
        asked = Erasure(
            case_id=case.id, state="stopped", reason=REASON, proposed_by=wren, proposed=now(), answered_by=tom,
            answered=now(), comment="", files=dict(session.execute(
                select(SubmittedFile.path, SubmittedFile.sha256).where(
                    SubmittedFile.case_id == case.id, SubmittedFile.path != "submission.yaml"
                )
            ).all()), columns=erasures.columns_of(session, case.id), done=0, shared=0, freed=0,
        )  # fmt: skip
        session.add(asked)
        session.flush()
        case.rows_taken, key, first = now(), asked.id, asked.names[0]
        # As the two would have entered it.
        people = {one: session.get_one(Person, one) for one in (wren, tom)}
        audit_log.append(session, people[wren], erasures.PROPOSED, "it", case_id=case.id, after={"erasure": key})
        named = {"erasure": key, "files": asked.files, "columns": asked.columns}
        audit_log.append(session, people[tom], erasures.AGREED, "it", case_id=case.id, after=named)
    with transaction() as session:
        # The first was taken away, and its worker died before another.
        asked = session.get_one(Erasure, key)
        asked.freed, asked.done = erasures.erase(session, first) or 0, 1
        asked.state = "agreed"
    take_rows_away(key)
    assert until(lambda: line_of(visitor("tom"), base)["erasure"]["state"] == "done", 30)
    with transaction() as session:
        asked = session.get_one(Erasure, key)
        sizes = session.scalar(select(func.sum(Blob.size)).where(Blob.sha256.in_(asked.names)))
        assert asked.done == len(asked.names)
        kept = session.scalars(select(Blob.size).where(Blob.sha256.in_(asked.names), Blob.erased.is_(None))).all()
        assert asked.freed == int(sizes or 0) - sum(kept)
        assert len(kept) == asked.shared
        assert verify_everything(session).fault is None


def test_bytes_that_somebody_is_about_to_keep_stay(app: object, stores: House) -> None:
    data = b"rows of two, a moment apart"
    with transaction() as session:
        name = blobs.put(session, data)
    with ThreadPoolExecutor(1) as aside, Session(engine()) as keeping:
        assert blobs.put(keeping, data) == name
        case = keeping.scalars(select(Case.id).where(Case.rows_taken.is_(None))).first()
        assert case is not None
        file = SubmittedFile(case_id=case, path="a moment apart.csv", sha256=name)
        keeping.add(file)
        keeping.flush()
        file_id = file.id
        later = aside.submit(erased, name)
        assert not until(later.done, 0.5), "it waits for whoever keeps them"
        keeping.commit()
        assert later.result() is None
    with as_owner(stores) as session:
        assert blobs.from_database(session, name) == data
        session.delete(session.get_one(SubmittedFile, file_id))
    assert erased(name) == len(data)
    with transaction() as session, pytest.raises(MissingError, match="were taken away after their term"):
        blobs.get(session, name)


def erased(name: str) -> int | None:
    with transaction() as session:
        return erasures.erase(session, name)


def test_nothing_is_taken_away_whose_name_is_signed(gone: Gone) -> None:
    with transaction() as session:
        signed = select(Decision.statement_sha256).where(Decision.statement_sha256.is_not(None))
        for name in session.scalars(signed.limit(5)).all():
            assert erasures.erase(session, str(name)) is None


def test_what_a_reviewer_added_goes_too(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "with a sample", files_of(rows_csv(n=200, seed=96), claims=[]))
    samples = [f"id,disability\n{n},yes\n{n + 1},no\n".encode() for n in (3, 30)]
    for name, data in zip(("stays", "was taken away"), samples, strict=True):
        assert added(iris, number_of(base), data, name=name, kind="sample", key="id")["fault"] is None
    had = [columns(base, "was taken away")["disability"]]
    assert iris.ask("DELETE", f"{base}/tables?name=was taken away").status_code == 200
    # A version of the rows that was undone.
    change(iris, base, {"kind": "bands", "column": "z", "cuts": [0.0], "name": "z_halves"})
    had.append(columns(base, version=2)["z_halves"])
    change(iris, base)
    assert columns(base, version=2) == {}
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    assert iris.ask("POST", f"{base}/decision", proposal(kind="returned_for_rework", conditions=[])).status_code == 200
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    moved(base, 20)
    with transaction() as session:
        assert [blobs.from_database(session, sha256(data)) for data in samples] == samples
        assert all(blobs.from_database(session, name) for name in had)
    taken_away(visitor, base)
    with transaction() as session:
        assert [blobs.from_database(session, sha256(data)) for data in samples] == [b"", b""]
        assert [blobs.from_database(session, name) for name in had] == [b"", b""]
        assert verify_everything(session).fault is None


def test_new_rows_and_what_was_said_of_them_go_too(visitor: SignIn, workers: House) -> None:
    base = decided(visitor, "with new rows", rows_csv(n=200, seed=97), years_ago=20)
    one = scored(visitor("iris"), base, rows_csv(40, seed=98).replace(",blue,", ",mauve,", 1))
    assert any("'mauve'" in line for line in one["result"]["method"])
    with transaction() as session:
        kept = session.scalars(select(Scoring).where(Scoring.case_id == number_of(base))).one()
        names = [kept.file_sha256, str(kept.table_sha256)]
        assert all(blobs.from_database(session, name) for name in names)
    taken_away(visitor, base)
    with transaction() as session:
        assert [blobs.from_database(session, name) for name in names] == [b"", b""]
        assert verify_everything(session).fault is None
    view = visitor("iris").get(f"{base}/new-rows")
    assert not view["may_score"]
    assert view["scorings"][0]["said"] == one["said"], "the figures stay"
    assert view["scorings"][0]["result"]["method"] == []
    assert visitor("iris").ask("GET", f"{base}/new-rows/1/csv").status_code == 404
