"""What is signed: a short text that names everything by hash; and its pages, which no request makes."""

import hashlib
import json
import os
import subprocess
import sys
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, update

from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.foundation import digest
from brookfall.core.submission.files import files_of_zip, package_hash
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from brookfall.records import blobs
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import BlobChunk
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.ledger import MOST_ATTEMPTS
from brookfall.records.renditions import Rendition
from tests.api.conftest import Visitor
from tests.api.packages import countersigned, rendered, submit
from tests.api.test_case import SignIn, proposal, ran
from tests.api.test_statements import attach, write
from tests.conftest import as_owner, files_of


def proposed(visitor: SignIn, version: str) -> str:
    """A case whose decision waits for the countersigner."""
    base = ran(visitor, version, ["profile", "holdout", "gap"], files_of(claims=[]))
    answer = visitor("iris").ask("POST", f"{base}/decision", proposal())
    assert answer.status_code == 200, answer.text
    return base


def number_of(base: str) -> int:
    return int(base.rsplit("/", 1)[1])


def hash_of(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def waiting_rendition(base: str) -> int:
    """A rendition that no worker of the house takes, as it is this test's from the start."""
    from brookfall.desk.renditions import enter
    from brookfall.records.cases import Case

    with transaction() as session:
        made = enter(session, session.get_one(Case, number_of(base)))
        made.state, made.worker, made.lease_until = "leased", "this test", now() + timedelta(hours=1)
        return made.id


def handed_back(rendition_id: int) -> None:
    """Its lease is over, as if its worker had died."""
    with transaction() as session:
        session.get_one(Rendition, rendition_id).lease_until = now() - timedelta(seconds=5)


def test_the_statement_names_everything_by_its_hash(visitor: SignIn, workers: House) -> None:
    base = proposed(visitor, "statement by hash")
    tom = visitor("tom")
    page = tom.get(f"{base}/decision")
    text = tom.ask("GET", f"{base}/report/statement").data
    assert hash_of(text) == page["statement_sha256"]
    statement = DecisionStatement.model_validate_json(text)
    assert text == digest.canonical(json.loads(text)), "anyone can write the same text"
    evidence = tom.ask("GET", f"{base}/report/json").data
    assert statement.evidence == hash_of(evidence)
    assert statement.plan == digest.of_json(json.loads(evidence)["plan"])
    assert statement.package == json.loads(evidence)["package"]["sha256"]
    assert (statement.kind, statement.proposed_by) == ("approved_with_conditions", "Iris Marrow")
    assert any("intended use is due and not written" in line for line in statement.over)
    with transaction() as session:
        for name in (statement.findings, statement.case):
            assert hash_of(blobs.get(session, name)) == name


def test_the_statement_stays_as_it_was_proposed_and_another_is_not_signed(visitor: SignIn, workers: House) -> None:
    base = proposed(visitor, "statement anew")
    iris, tom = visitor("iris"), visitor("tom")
    read = tom.get(f"{base}/decision")["statement_sha256"]
    back = {"accept": False, "comment": "Say more.", "password": PASSWORD}
    assert tom.ask("POST", f"{base}/countersignature", back).status_code == 200
    assert tom.get(f"{base}/decision")["statement"] is None
    assert iris.ask("POST", f"{base}/decision", proposal(reasons="Sound, and watched.")).status_code == 200
    stale = tom.ask(
        "POST", f"{base}/countersignature", {"accept": True, "statement_sha256": read, "password": PASSWORD}
    )
    assert stale.status_code == 409
    assert "proposed anew since you read it" in stale.json["detail"]
    assert tom.get(base)["state"] == "proposed"
    signed = countersigned(tom, base, PASSWORD)
    assert signed.status_code == 200
    assert signed.json["statement"]["reasons"].startswith("Sound, and watched.")
    html = rendered(tom, base).text
    assert signed.json["statement_sha256"] in html
    assert "Say more." in html, "what was sent back before stands in the report"


def test_no_request_draws_or_lays_out_anything(
    visitor: SignIn, workers: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    base = proposed(visitor, "nothing drawn")

    def never(*_: object, **__: object) -> Any:
        raise AssertionError("a request made pages")

    for name in ("charts.draw", "build.build_html", "build.build_pdf"):
        monkeypatch.setattr(f"brookfall.report.{name}", never)
    monkeypatch.setattr("brookfall.report.charts.draw", never)
    tom = visitor("tom")
    assert countersigned(tom, base, PASSWORD).status_code == 200
    # Another process makes them.
    assert rendered(tom, base, "pdf").data.startswith(b"%PDF")


def test_the_pages_are_entered_with_their_hashes_and_never_made_twice(visitor: SignIn, workers: House) -> None:
    base = proposed(visitor, "pages entered")
    tom = visitor("tom")
    assert b"It is signed by its reviewer alone." in rendered(tom, base).data
    assert countersigned(tom, base, PASSWORD).status_code == 200
    at_once = tom.get(f"{base}/report")
    assert at_once["shown"] is None or at_once["shown"]["asked"] == at_once["current"]["asked"], "no draft is signed"
    pdf, html = rendered(tom, base, "pdf").data, rendered(tom, base).data
    report = tom.get(f"{base}/report")
    assert report["signed"] is True
    assert report["shown"]["pdf_sha256"] == hash_of(pdf)
    assert report["shown"]["html_sha256"] == hash_of(html)
    assert b"Draft of" not in html
    with transaction() as session:
        kept = session.scalars(select(Rendition).where(Rendition.case_id == number_of(base))).all()
        assert [one.decision_id is not None for one in kept] == [True], "the draft made way"
    with transaction() as session:
        of_case = select(RecordEntry).where(RecordEntry.case_id == number_of(base))
        entries = session.scalars(of_case.where(RecordEntry.act == "rendered the report")).all()
        assert [json.loads(entry.after) for entry in entries] == [
            {"statement": report["statement_sha256"], "html": hash_of(html), "pdf": hash_of(pdf)}
        ]
        signed = session.scalars(of_case.where(RecordEntry.act == "countersigned")).one()
        assert json.loads(signed.after)["statement"] == report["statement_sha256"]


def test_a_draft_says_when_the_case_has_changed_and_makes_way_for_the_next(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "draft", ["profile"], files_of(claims=[]))
    iris = visitor("iris")
    report = iris.get(f"{base}/report")
    assert [report[name] for name in ("signed", "statement_sha256", "current", "shown")] == [False, None, None, None]
    early = iris.ask("GET", f"{base}/report/pdf")
    assert early.status_code == 404
    assert early.json["detail"] == "The report has not been rendered yet."
    assert "Nothing here is signed yet." in rendered(iris, base).text
    finding = {"severity": 2, "title": "Skewed ages", "what": "See exhibit.", "cites": [1]}
    assert iris.ask("POST", f"{base}/findings", {"finding": finding}).status_code == 200
    report = iris.get(f"{base}/report")
    assert report["current"] is None
    assert report["shown"]["state"] == "done", "the earlier pages can still be read"
    assert "Skewed ages" in rendered(iris, base).text
    with transaction() as session:
        kept = session.scalars(select(Rendition.id).where(Rendition.case_id == number_of(base))).all()
        assert len(kept) == 1
    assert iris.ask("GET", f"{base}/report/statement").status_code == 404


def test_a_draft_that_somebody_sent_as_a_file_stays_where_it_is_needed(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "draft attached", ["profile"], files_of(claims=[]))
    iris = visitor("iris")
    pdf = rendered(iris, base, "pdf").data
    html = iris.get(f"{base}/report")["shown"]["html_sha256"]
    statement = write(iris, base).json
    assert attach(iris, base, statement, "draft.pdf", pdf).status_code == 200
    assert b"Statement 1, intended use" in rendered(iris, base).data
    with transaction() as session:
        assert blobs.from_database(session, hash_of(pdf)) == pdf, "it is attached"
        assert blobs.from_database(session, html) == b"", "nobody needs it any more"


def test_what_was_proposed_before_there_were_statements_is_frozen_when_signed(
    visitor: SignIn, workers: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as before:
        before.setattr("brookfall.desk.decisions.freeze", lambda *_: None)
        base = proposed(visitor, "proposed long ago")
    tom = visitor("tom")
    assert tom.get(f"{base}/decision")["statement"] is None
    assert countersigned(tom, base, PASSWORD).status_code == 200
    page = tom.get(f"{base}/decision")
    assert hash_of(tom.ask("GET", f"{base}/report/statement").data) == page["statement_sha256"]
    assert page["statement_sha256"] in rendered(tom, base).text


def drawn_here(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """The exhibits whose charts this process draws from now on."""
    from brookfall.core.evidence.exhibit import Exhibit
    from brookfall.report.charts import draw

    drawn: list[int] = []

    def noted(exhibit: Exhibit) -> list[str]:
        drawn.append(exhibit.number)
        return draw(exhibit)

    monkeypatch.setattr("brookfall.report.charts.draw", noted)
    return drawn


def test_a_damaged_text_is_told_and_nothing_is_rendered_of_it(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.renditions import render

    base = proposed(visitor, "damaged text")
    tom = visitor("tom")
    statement = tom.get(f"{base}/decision")["statement"]
    chunk = update(BlobChunk).where(BlobChunk.sha256 == statement["findings"])
    with as_owner(workers) as session:
        before = session.scalars(select(BlobChunk.data).where(BlobChunk.sha256 == statement["findings"])).one()
        blobs.local(session, statement["findings"]).unlink()
        session.execute(chunk.values(data=before.replace(b"[", b"[ ")))
    rendition = waiting_rendition(base)
    handed_back(rendition)
    render(rendition)
    report = tom.get(f"{base}/report")
    assert report["current"]["state"] == "failed"
    assert "What was signed is damaged, so nothing was rendered" in report["current"]["said"]
    assert report["shown"] is None
    with as_owner(workers) as session:
        session.execute(chunk.values(data=before))
    assert "SHA-256" in rendered(tom, base).text, "mended, it can be asked for again"


def test_a_rendition_outlives_its_worker_and_is_given_up_at_last(visitor: SignIn, workers: House) -> None:
    from brookfall.engine import leases

    base = proposed(visitor, "worker died")
    rendition = waiting_rendition(base)
    assert not leases.claim(Rendition, rendition, "another"), "it is held"
    handed_back(rendition)
    assert leases.claim(Rendition, rendition, "another")
    with pytest.raises(leases.LostError):
        leases.renew(Rendition, rendition, "this test")
    with transaction() as session:
        asked = session.get_one(Rendition, rendition)
        asked.attempts, asked.lease_until = MOST_ATTEMPTS, now() - timedelta(seconds=5)
    assert not leases.claim(Rendition, rendition, "a third")
    report = visitor("tom").get(f"{base}/report")
    # A worker of the house may have given it up first.
    assert report["current"]["state"] == "failed"
    assert report["current"]["said"] == "It ended its worker 3 times, most likely for want of memory."


def test_charts_are_drawn_once(visitor: SignIn, workers: House, monkeypatch: pytest.MonkeyPatch) -> None:
    from brookfall.engine.renditions import render

    base = proposed(visitor, "drawn once")
    rendered(visitor("tom"), base)
    drawn = drawn_here(monkeypatch)
    with transaction() as session:
        newest = session.scalars(select(Rendition).where(Rendition.case_id == number_of(base))).one()
        newest.state, newest.lease_until, rendition = "leased", now() - timedelta(seconds=5), newest.id
    render(rendition)
    assert drawn == []
    with transaction() as session:
        assert session.get_one(Rendition, rendition).state == "done"


@pytest.mark.parametrize("login", ["nell", "iris", "tom", "ada"])
def test_whoever_sees_a_case_can_read_its_report(
    visitor: Callable[[str], Visitor], workers: House, login: str, state: dict[str, str]
) -> None:
    if "base" not in state:
        state["base"] = ran(visitor, "read by all", ["profile"], files_of(claims=[]))
    assert "Validation report" in rendered(visitor(login), state["base"]).text


def test_an_administrator_asks_for_no_report(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "not for wren", ["profile"], files_of(claims=[]))
    wren = visitor("wren")
    assert wren.ask("POST", f"{base}/report").status_code == 404
    assert wren.ask("GET", f"{base}/report").status_code == 404


def test_a_bundle_holds_all_and_is_verified_without_a_server(visitor: SignIn, workers: House, tmp_path: Path) -> None:
    base = proposed(visitor, "bundled")
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    rendered(visitor("iris"), base)
    answer = visitor("ada").ask("GET", f"{base}/bundle")
    assert answer.status_code == 200, answer.text
    assert "sample-bundled-evidence-bundle.zip" in answer.headers["Content-Disposition"]
    file = tmp_path / "bundle.zip"
    file.write_bytes(answer.data)
    # No word of any server in its environment.
    kept = {name: value for name, value in os.environ.items() if not name.startswith("BROOKFALL_")}
    command = [sys.executable, "-m", "brookfall.cli", "verify", str(file)]
    done = subprocess.run(command, capture_output=True, text=True, env=kept, check=False, timeout=120)
    assert done.returncode == 0, done.stderr
    assert "Iris Marrow proposed the decision" in done.stdout
    assert "Tom Aldous countersigned it, as the record says." in done.stdout
    files = files_of_zip(answer.data, 10**8)
    sent = {path.removeprefix("package/"): data for path, data in files.items() if path.startswith("package/")}
    assert package_hash(sent) == visitor("ada").get(base)["package_sha256"]
    assert files["report.html"].startswith(b"<!doctype html>") or b"<html" in files["report.html"][:200]
    damaged = bytearray(answer.data)
    damaged[len(damaged) // 2] ^= 1
    file.write_bytes(bytes(damaged))
    told = subprocess.run(command, capture_output=True, text=True, env=kept, check=False, timeout=120)
    assert told.returncode in (1, 2)
    assert "Traceback" not in told.stderr


def test_each_file_that_was_submitted_can_be_saved(visitor: SignIn) -> None:
    nell = visitor("nell")
    base = f"/api/cases/{submit(nell, files_of(), version='files to save').json['case_id']}"
    saved = nell.ask("GET", f"{base}/submitted?path=data/rows.csv")
    assert saved.data == files_of()["data/rows.csv"]
    assert saved.headers["Content-Security-Policy"] == "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    assert "rows.csv" in saved.headers["Content-Disposition"]
    assert nell.ask("GET", f"{base}/submitted?path=../secret").status_code == 404
    package = nell.ask("GET", f"{base}/package")
    assert "sample-files-to-save-package.zip" in package.headers["Content-Disposition"]
    assert package_hash(files_of_zip(package.data, 10**8)) == nell.get(base)["package_sha256"]
    assert visitor("wren").ask("GET", f"{base}/submitted?path=data/rows.csv").status_code == 404
