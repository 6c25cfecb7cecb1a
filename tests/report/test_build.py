"""The pages of a report from plain contents, without a case, a database or a server."""

import re
from dataclasses import replace
from datetime import date, datetime

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.decision import DecisionStatement, SignedCondition
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation import digest
from brookfall.core.retest.evidence_file import evidence_of
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.report.build import build_html, build_pdf
from brookfall.report.charts import draw
from brookfall.report.contents import (
    CaseFile,
    Countersignature,
    FileLine,
    QuotedExhibit,
    ReportContents,
    ReportedFinding,
    ReportedFindings,
    SentBack,
)
from brookfall.report.drawings import drawing_key
from tests.conftest import files_of

MADE = datetime(2026, 3, 1, 9, 30)
ZERO = "0" * 64


@pytest.fixture(scope="module")
def exhibits(bench: Bench) -> tuple[Exhibit, ...]:
    plan = bench.plan.model_copy(update={"checks": ("profile", "holdout")})
    return retest(replace(bench, plan=plan))


@pytest.fixture(scope="module")
def contents(bench: Bench, exhibits: tuple[Exhibit, ...]) -> ReportContents:
    package = package_from_files(files_of())
    cites = (QuotedExhibit(exhibit=2, title="Holdout", quote="It holds.", read="At 0.3 it selects 41 rows."),)
    finding = ReportedFinding(
        number=1, severity=3, title="<b>Bold</b>", what="It leans.", why="", action="Mend it.", action_owner="Makers",
        due=date(2026, 9, 1), cites=cites,
    )  # fmt: skip
    return ReportContents(
        case=CaseFile(
            model="Sample",
            version="1",
            tier=2,
            outcome="binary",
            owner="Nell Carrow",
            reviewer="Iris Marrow",
            submission=package.submission,
            table_fingerprint=ZERO,
            files=(FileLine(path="rows.csv", sha256=ZERO),),
            locked=MADE,
            locked_by="Iris Marrow",
            deviations=(),
            sent_back=(SentBack(kind="approved", proposed=MADE, by="Tom Aldous", comment="Which rows?"),),
            record_entries=41,
            record_hash=ZERO,
        ),
        evidence=evidence_of(ZERO, bench.plan, bench.subject.roles, exhibits),
        findings=ReportedFindings(findings=(finding,)),
    )


def statement() -> DecisionStatement:
    return DecisionStatement(
        model="Sample", version="1", tier=2, kind="approved_with_conditions", reasons="Sound.\n\nBut watch it.",
        conditions=(SignedCondition(what="Watch the groups", due=date(2026, 12, 31)),),
        over=("Exhibit 2, holdout, is unsettled: these rows can't tell.",), departures=(), package=ZERO, plan=ZERO,
        evidence=ZERO, findings=ZERO, case=ZERO, proposed_by="Iris Marrow", proposed=MADE,
    )  # fmt: skip


def text_of(html: str) -> str:
    body = html[html.index("<body") :]
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", re.sub(r"<svg.*?</svg>", " ", body, flags=re.DOTALL)))


def charts_of(contents: ReportContents) -> dict[int, list[str]]:
    return {exhibit.number: draw(exhibit) for exhibit in contents.evidence.exhibits}


def test_a_draft_says_so_and_quotes_nothing_unescaped(contents: ReportContents) -> None:
    html = build_html(contents, charts_of(contents), MADE)
    assert "Draft of 2026-03-01 09:30:00 UTC. Nothing here is signed yet." in text_of(html)
    assert "No decision has been proposed." in html
    assert "&lt;b&gt;Bold&lt;/b&gt;" in html
    assert "was sent back by Tom Aldous: “Which rows?”" in text_of(html)
    assert "At 0.3 it selects 41 rows." in html
    assert "To be done by Makers until 2026-09-01: Mend it." in text_of(html)
    assert html.count("<svg") == sum(
        chart.startswith("<svg") for of_one in charts_of(contents).values() for chart in of_one
    )


def test_what_was_signed_is_told_with_its_hash(contents: ReportContents) -> None:
    proposed = contents.model_copy(update={"statement": statement()})
    words = text_of(build_html(proposed, charts_of(proposed), MADE))
    assert "It is signed by its reviewer alone." in words
    assert "Approved with conditions, proposed." in words
    assert "It is approved over this: Exhibit 2, holdout, is unsettled" in words
    assert f"Statement signed, SHA-256 {digest.sha256(statement().to_json())}" in words
    by_tom = Countersignature(by="Tom Aldous", at=MADE, comment="As discussed.")
    signed = proposed.model_copy(update={"countersigned": by_tom})
    words = text_of(build_html(signed, charts_of(signed), MADE))
    assert "Draft of" not in words
    assert "Countersigned by Tom Aldous, 2026-03-01 09:30:00 UTC. “As discussed.”" in words
    assert "Watch the groups 2026-12-31" in words


def test_the_pdf_has_the_charts_and_fetches_nothing(contents: ReportContents) -> None:
    charts = charts_of(contents)
    with_charts, without = (
        build_pdf(contents, charts, MADE),
        build_pdf(contents, {number: [] for number in charts}, MADE),
    )
    assert with_charts.startswith(b"%PDF")
    assert len(with_charts) > len(without) + 1000


def test_drawings_are_known_by_what_they_show(exhibits: tuple[Exhibit, ...]) -> None:
    one = next(exhibit for exhibit in exhibits if exhibit.charts and exhibit.estimates)
    assert drawing_key(one) == drawing_key(one.model_copy(update={"number": 77, "state": "stale"}))
    moved = one.estimates[0].model_copy(update={"value": 0.123})
    assert drawing_key(one) != drawing_key(one.model_copy(update={"estimates": (moved, *one.estimates[1:])}))
    assert len({drawing_key(exhibit) for exhibit in exhibits}) == len(exhibits)


def test_the_statement_has_one_text(contents: ReportContents) -> None:
    text = statement().to_json()
    assert DecisionStatement.model_validate_json(text).to_json() == text
    assert b": " not in text.replace(b"unsettled: these", b"")
    assert contents.case.to_json() == CaseFile.model_validate_json(contents.case.to_json()).to_json()
    assert contents.findings.to_json() == ReportedFindings.model_validate_json(contents.findings.to_json()).to_json()
