"""Reports made to order: each order has pages of its own, what was signed keeps its own, and the house has a say."""

import json
import re
from datetime import UTC, date, datetime

import pytest
from sqlalchemy import select

from brookfall.demo.seed import PASSWORD
from brookfall.desk import renditions
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.clock import clock_at
from brookfall.records.database import transaction
from brookfall.records.renditions import Rendition
from brookfall.records.verification import verify_everything
from tests.api.packages import countersigned, rendered
from tests.api.test_case import SignIn, ran
from tests.api.test_policies import answered, done, draft_of, proposed, saved
from tests.api.test_signing import number_of
from tests.api.test_signing import proposed as proposed_case
from tests.conftest import files_of


def headings(html: str) -> list[str]:
    return re.findall(r"<h2>(.*?)</h2>", html)


def renditions_there(base: str) -> list[tuple[dict[str, object], str]]:
    with transaction() as session:
        found = session.scalars(select(Rendition).where(Rendition.case_id == number_of(base)).order_by(Rendition.id))
        return [(one.ordered, one.state) for one in found]


def test_each_order_has_its_own_pages(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "made to order", ["profile", "holdout"], files_of(claims=[]))
    iris = visitor("iris")
    whole = rendered(iris, base).text
    short = rendered(iris, base, order="?length=short&language=de&paper=letter").text
    some = rendered(iris, base, order="?parts=findings,decision").text
    assert "size: letter" in short
    assert "size: A4" in whole
    assert "written as in German" in short
    assert headings(some) == ["Findings", "Decision"]
    assert "Left out of this report" in some
    assert rendered(iris, base, "pdf", "?length=sheet").data.startswith(b"%PDF")
    view = iris.get(f"{base}/report?length=short&language=de&paper=letter")
    assert view["form"]["language"] == "de"
    assert [one["name"] for one in view["parts"]][:2] == ["decision", "questions"]
    assert iris.ask("GET", f"{base}/report/html").text == whole, "the other orders are no other report"
    assert len(renditions_there(base)) == 4
    iris.ask("POST", f"{base}/report?length=sheet")
    assert len(renditions_there(base)) == 4, "nothing is made twice"


def test_drafts_of_what_the_case_was_are_dropped_whatever_was_ordered(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "orders dropped", ["profile"], files_of(claims=[]))
    iris = visitor("iris")
    rendered(iris, base)
    rendered(iris, base, order="?length=sheet")
    finding = {"severity": 2, "title": "It leans", "what": "See exhibit.", "cites": [1]}
    assert iris.ask("POST", f"{base}/findings", {"finding": finding}).status_code == 200
    rendered(iris, base, order="?length=sheet")
    assert [ordered for ordered, _ in renditions_there(base)] == [{"length": "sheet"}]


def test_an_order_that_can_not_be_is_refused_in_words(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "orders refused", ["profile"], files_of(claims=[]))
    iris = visitor("iris")
    for order, words in (
        ("?parts=findings", "A report can't be made so: a report has the decision among its parts"),
        ("?parts=decision,decision", "a part of a report is named twice"),
        ("?parts=decision,gossip", "There is no such part of a report"),
    ):
        answer = iris.ask("POST", f"{base}/report{order}")
        assert answer.status_code == 422, answer.text
        assert words in answer.json["detail"]
        assert answer.json["todo"]
    for order in ("?length=long", "?language=xx", "?paper=a0"):
        assert iris.ask("POST", f"{base}/report{order}").status_code == 422
    assert renditions_there(base) == []
    missing = iris.ask("GET", f"{base}/report/html?length=short")
    assert missing.status_code == 404
    assert "has not been rendered yet" in missing.json["detail"]


def test_what_was_signed_is_entered_with_its_order_and_kept_in_so_many(
    visitor: SignIn, workers: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    base = proposed_case(visitor, "signed to order")
    tom = visitor("tom")
    assert countersigned(tom, base, PASSWORD).status_code == 200
    whole = rendered(tom, base).text
    sheet = rendered(tom, base, order="?length=sheet").text
    statement = tom.get(f"{base}/decision")["statement_sha256"]
    assert statement in whole
    assert statement in sheet
    with transaction() as session:
        entries = session.scalars(
            select(RecordEntry).where(RecordEntry.case_id == number_of(base), RecordEntry.act == "rendered the report")
        ).all()
        assert [json.loads(one.after).get("ordered") for one in entries] == [None, {"length": "sheet"}]
        assert verify_everything(session).fault is None, "what was ordered is no page with a hash"
    monkeypatch.setattr(renditions, "MOST_ORDERED", 1)
    more = tom.ask("POST", f"{base}/report?length=short")
    assert more.status_code == 422
    assert "is kept in 1 forms already" in more.json["detail"]
    assert tom.ask("POST", f"{base}/report?length=sheet").status_code == 200, "one that is kept is no more"
    assert tom.ask("POST", f"{base}/report").status_code == 200


def test_a_policy_gives_reports_their_head_and_signed_ones_keep_theirs(visitor: SignIn, workers: House) -> None:
    base = proposed_case(visitor, "house of reports")
    other = ran(visitor, "draft of reports", ["profile"], files_of(claims=[]))
    tom, iris, wren = visitor("tom"), visitor("iris"), visitor("wren")
    assert countersigned(tom, base, PASSWORD).status_code == 200
    before, draft = rendered(tom, base).text, rendered(iris, other).text
    assert "Hollinmoor County" not in before + draft
    page = draft_of(wren)
    form = {**page["policy"]["report"], "house": "Hollinmoor County", "language": "sv", "paper": "letter"}
    page = done(saved(wren, {**page, "policy": {**page["policy"], "report": form}}))
    assert ["the name at the head of reports", "none", "Hollinmoor County"] in [
        [one["about"], one["before"], one["after"]] for one in page["changes"]
    ]
    assert ["numbers and dates of reports", "as in English", "as in Swedish"] in [
        [one["about"], one["before"], one["after"]] for one in page["changes"]
    ]
    page = done(proposed(wren, page, date(2097, 1, 1)))
    done(answered(tom, page))
    with clock_at(datetime(2097, 2, 1, 12, tzinfo=UTC)):
        tom, iris = visitor("tom"), visitor("iris")
        assert rendered(tom, base).text == before, "what was signed keeps the pages that the record has"
        assert tom.get(f"{base}/report")["form"]["language"] == "en", "and the form that is told is theirs"
        anew = rendered(iris, other).text
        assert "Hollinmoor County" in anew
        assert "size: letter" in anew
        assert "written as in Swedish" in anew
        assert "written as in" not in rendered(iris, other, order="?language=en").text
