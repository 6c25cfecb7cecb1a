"""Reports made to order: parts, lengths that keep to their pages, numbers and dates of other languages, paper."""

import re
from datetime import date
from html import unescape

import pytest
from pydantic import ValidationError
from weasyprint import HTML

from brookfall.core.evidence.decision import SignedCondition
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.judge.report_form import MOST_PAGES, PARTS, OrderedReport, ReportForm, ReportOrder
from brookfall.report.build import build_html, build_short
from brookfall.report.charts import draw
from brookfall.report.contents import DeviationText, ReportContents, ReportedFinding, ReportedFindings
from brookfall.report.drawings import drawing_key
from brookfall.report.questions import questions_of
from brookfall.report.room import ROOMS
from brookfall.report.tables import written_tables
from brookfall.report.writing import Writing
from tests.report.test_build import MADE, charts_of, contents, exhibits, statement, text_of

__all__ = ["contents", "exhibits"]  # fixtures


def read(html: str) -> str:
    return unescape(text_of(html))


def headings(html: str) -> list[str]:
    return re.findall(r"<h2>(.*?)</h2>", html)


def much(contents: ReportContents) -> ReportContents:
    """The same case with more of everything than four pages hold."""
    long = "It was looked at from every side, and it did not get better for it. " * 30
    finding = ReportedFinding(
        number=1, severity=4, title="It leans " * 12, what=long, why=long, action=long, action_owner="Makers",
        due=date(2026, 9, 1), cites=(),
    )  # fmt: skip
    findings = tuple(finding.model_copy(update={"number": number}) for number in range(1, 41))
    signed = statement().model_copy(
        update={
            "reasons": "\n\n".join([long] * 8),
            "conditions": (SignedCondition(what=long, due=date(2026, 12, 31)),) * 30,
            "over": (long,) * 30,
        }
    )
    deviation = DeviationText(number=1, reason=long, by="Iris Marrow", opened=MADE, closed=MADE, said=())
    case = contents.case.model_copy(update={"deviations": (deviation,) * 30})
    bad = tuple(
        one.model_copy(update={"standing": Standing.OUTSIDE, "answer": long[:240], "number": one.number + 10 * times})
        for times in range(30)
        for one in contents.evidence.exhibits
    )
    evidence = contents.evidence.model_copy(update={"exhibits": bad})
    changed = {"case": case, "evidence": evidence, "statement": signed, "findings": ReportedFindings(findings=findings)}
    return contents.model_copy(update=changed)


def test_a_whole_report_has_the_parts_that_were_asked_for_in_their_order(contents: ReportContents) -> None:
    form = ReportOrder(parts=("findings", "decision", "basis")).of(ReportForm())
    html = build_html(contents, {}, MADE, form)
    assert headings(html) == ["Findings", "Decision", "What it rests on"]
    assert "Left out of this report: the seven questions; questions to the owner" in text_of(html)
    whole = build_html(contents, charts_of(contents), MADE)
    assert "Left out" not in whole
    assert [one for one in headings(whole) if one in ("Decision", "Findings", "What it rests on")] == [
        "Decision", "Findings", "What it rests on",
    ]  # fmt: skip


@pytest.mark.parametrize("parts", [("findings",), ("decision", "decision"), ("decision", "gossip")])
def test_no_report_lacks_the_decision_or_has_a_part_twice(parts: tuple[str, ...]) -> None:
    with pytest.raises(ValidationError):
        ReportForm.model_validate({"parts": parts})


@pytest.mark.parametrize("length", ["short", "sheet"])
@pytest.mark.parametrize("paper", ["a4", "letter"])
def test_a_short_report_keeps_to_its_pages_and_tells_how_much_is_left(
    contents: ReportContents, length: str, paper: str
) -> None:
    form = OrderedReport.model_validate({"length": length, "paper": paper, "cover": "For the committee."})
    most = MOST_PAGES[form.length]
    assert most is not None
    made = build_short(much(contents), MADE, form)
    assert 1 <= made.count <= most
    assert made.pdf.startswith(b"%PDF")
    words = text_of(made.html)
    assert re.search(r"And \d+ findings more, in the whole report\.", words)
    assert re.search(r"And \d+ conditions more, in the whole report\.", words)
    assert "Approved with conditions, proposed." in words


def test_what_fits_is_told_whole(contents: ReportContents) -> None:
    made = build_short(contents, MADE, OrderedReport(length="short"))
    assert made.html == build_html(contents, {}, MADE, OrderedReport(length="short"), ROOMS[0])
    words = text_of(made.html)
    assert "more, in the whole report" not in words
    assert "It leans." in words
    assert "…" not in words


def test_the_sheet_tells_what_decides_each_question(contents: ReportContents) -> None:
    proposed = contents.model_copy(update={"statement": statement()})
    words = read(build_short(proposed, MADE, OrderedReport(length="sheet")).html)
    for question in questions_of(contents.evidence, {}):
        assert question.text in words
        assert question.worst is None or question.worst.says in words
    assert "Approved with conditions, proposed." in words


def test_what_is_outside_is_told_before_what_is_open_and_what_is_within_in_a_line(contents: ReportContents) -> None:
    first, second, *_ = contents.evidence.exhibits
    changed = (
        first.model_copy(update={"standing": Standing.UNSETTLED, "question": 3, "answer": "It can't be told."}),
        second.model_copy(update={"standing": Standing.OUTSIDE, "question": 3, "answer": "It is beyond."}),
        second.model_copy(update={"standing": Standing.WITHIN, "question": 3, "number": 9, "open": 0}),
    )
    evidence = contents.evidence.model_copy(update={"exhibits": changed})
    (third,) = (one for one in questions_of(evidence, {}) if one.number == 3)
    assert [line.says for line in third.told][:2] == ["It is beyond.", "It can't be told."]
    assert third.standing == "outside"
    assert third.folded == f"exhibit 9, {second.title.lower()}"
    words = read(build_html(contents.model_copy(update={"evidence": evidence}), {1: [], 2: [], 9: []}, MADE))
    assert words.index("It is beyond.") < words.index("It can't be told.")


def test_a_statement_that_is_due_decides_a_question(contents: ReportContents) -> None:
    names = tuple(one.name for one in contents.evidence.plan.policy.statements)
    plan = contents.evidence.plan.model_copy(update={"statements": names})
    evidence = contents.evidence.model_copy(update={"plan": plan})
    due = [one for one in questions_of(evidence, {}) if one.missing]
    assert due
    for question in due:
        said = [line.says for line in question.told]
        assert "It is due and was not written." in said


@pytest.mark.parametrize(("language", "day"), [("de", "1. September 2026"), ("fr", "1 septembre 2026")])
def test_numbers_and_dates_are_those_of_the_language_and_sentences_stay(
    contents: ReportContents, language: str, day: str
) -> None:
    form = OrderedReport.model_validate({"language": language})
    html = build_html(contents, {number: [] for number in charts_of(contents)}, MADE, form)
    assert f"until {day}" in text_of(html)
    cells = re.findall(r"<td>([^<]*\[[^<]*)\], n", html)
    assert cells
    assert all("." not in cell and "," in cell and "; " in cell for cell in cells)
    for exhibit in contents.evidence.exhibits:
        assert exhibit.answer in read(html)


def test_charts_are_drawn_anew_for_a_language_and_kept_apart(exhibits: tuple[Exhibit, ...]) -> None:
    german = Writing("de")
    one = next(exhibit for exhibit in exhibits if any(chart.startswith("<svg") for chart in draw(exhibit)))
    assert drawing_key(one, german) != drawing_key(one)

    def ticks(charts: list[str]) -> set[str]:
        return {text for chart in charts for text in re.findall(r">([−\d.,]+)</text>", chart)}

    drawn = [ticks(draw(exhibit, german)) for exhibit in exhibits]
    plain = [ticks(draw(exhibit)) for exhibit in exhibits]
    assert any(any("," in tick for tick in found) for found in drawn)
    assert [{tick.replace(".", ",") for tick in found} for found in plain] == drawn
    assert draw(one, german) == draw(one, german)


def test_a_level_that_looks_like_a_number_keeps_its_name(exhibits: tuple[Exhibit, ...]) -> None:
    table = next(table for exhibit in exhibits for table in exhibit.tables)
    holder = next(exhibit for exhibit in exhibits if table in exhibit.tables)
    row = tuple(cell.model_copy(update={"estimate": None, "text": "1.50"}) for cell in table.rows[0])
    changed = holder.model_copy(update={"tables": (table.model_copy(update={"rows": (row,)}),)})
    (written,) = written_tables(changed, Writing("de"))
    assert [cell.text for cell in written.rows[0]] == ["1.50", *["1,50"] * (len(row) - 1)]


def test_the_house_stands_at_the_head_and_the_paper_is_its_own(contents: ReportContents) -> None:
    house = ReportForm(house="Hollinmoor <County>", cover="Ask the office.\n\nSecond.", paper="letter")
    form = ReportOrder().of(house)
    html = build_html(contents, charts_of(contents), MADE, form)
    assert "Hollinmoor &lt;County&gt;" in html
    assert "<p>Ask the office.</p><p>Second.</p>" in html
    widths = []
    for paper in ("a4", "letter"):
        asked = OrderedReport.model_validate({"parts": ("decision",), "paper": paper})
        pages = HTML(string=build_html(contents, {}, MADE, asked)).render().pages
        widths.append(round(pages[0].width * 25.4 / 96))
    assert widths == [210, 216]
    assert ReportOrder(paper="a4", language="sv").of(house).paper == "a4"


def test_every_part_has_its_pages() -> None:
    from importlib.resources import files

    there = {path.name for path in (files("brookfall.report") / "templates" / "parts").iterdir()}
    assert {f"{part}.html" for part in PARTS} <= there
