"""Builds the report of a case from what is recorded."""

from dataclasses import dataclass
from importlib.resources import files
from typing import Literal

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup
from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.words import DECISIONS, QUESTIONS, SEVERITIES
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import worst_mark
from brookfall.core.plan.departures import departures
from brookfall.core.plan.facts import plan_facts
from brookfall.core.plan.revisions import read_plan
from brookfall.core.recipe.families import recipe_in_words
from brookfall.core.retest.evidence_file import Evidence, evidence_of
from brookfall.core.submission.added import Added
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.schema import Submission
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.records.audit_log import RecordHead
from brookfall.records.base import now
from brookfall.records.cases import Case, Deviation, SubmittedFile
from brookfall.records.contents import exhibits_now
from brookfall.records.findings_and_decisions import Decision, Finding
from brookfall.records.people import Person
from brookfall.records.runs import Run
from brookfall.report.charts import draw
from brookfall.report.fonts import face_css

Format = Literal["html", "pdf", "json"]


@dataclass(frozen=True)
class Report:
    """The bytes of each format; empty where it was not asked for."""

    html: bytes = b""
    pdf: bytes = b""
    json: bytes = b""

    def of(self, form: Format) -> bytes:
        return {"html": self.html, "pdf": self.pdf, "json": self.json}[form]


def build_report(session: Session, case: Case, only: Format | None = None) -> Report:
    """The report as it stands now; ``only`` builds one format."""
    run = session.scalars(select(Run).where(Run.case_id == case.id).order_by(Run.id.desc()).limit(1)).first()
    exhibits = tuple(exhibits_now(session, case, run))
    evidence = evidence_of(
        case.package_sha256,
        read_plan(case.plan),
        Roles.model_validate(case.roles),
        exhibits,
        tuple(TypeAdapter(list[Change]).validate_python(case.changes)),
        tuple(TypeAdapter(list[Added]).validate_python(case.added)),
        tuple(TypeAdapter(list[LabelMark]).validate_python(run.label_marks if run else [])),
    )
    if only == "json":
        return Report(json=evidence.to_json().encode())
    html = _html(session, case, evidence)
    if only == "html":
        return Report(html=html.encode())
    pdf = _pdf(html)
    return Report(html=html.encode(), pdf=pdf, json=b"" if only else evidence.to_json().encode())


def _html(session: Session, case: Case, evidence: Evidence) -> str:
    submission = Submission.model_validate(case.submission)
    findings = session.scalars(
        select(Finding)
        .where(Finding.case_id == case.id, Finding.withdrawn.is_(False))
        .order_by(Finding.severity.desc(), Finding.number)
    ).all()
    decisions = session.scalars(select(Decision).where(Decision.case_id == case.id).order_by(Decision.id)).all()
    head = session.get(RecordHead, 1)
    environment = Environment(
        loader=PackageLoader("brookfall.report"), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    environment.filters["estimate"] = _estimate
    environment.filters["sentence"] = wording.capital
    template = environment.get_template("report.html")
    return template.render(
        css=Markup(face_css() + (files("brookfall.report") / "templates" / "report.css").read_text(encoding="utf-8")),  # noqa: S704 - our own file
        case=case,
        submission=submission,
        recipe=recipe_in_words(submission.recipe, submission.model.outcome) if submission.recipe else None,
        evidence=evidence,
        questions=[_Question(number, text, evidence.exhibits) for number, text in QUESTIONS.items()],
        charts={exhibit.number: [Markup(svg) for svg in draw(exhibit)] for exhibit in evidence.exhibits},  # noqa: S704 - drawn here
        findings=findings,
        decisions=decisions,
        severities={number: words.capitalize() for number, words in SEVERITIES.items()},
        kinds=DECISIONS,
        files=session.scalars(select(SubmittedFile).where(SubmittedFile.case_id == case.id)).all(),
        locked_by=session.get(Person, case.plan_locked_by) if case.plan_locked_by else None,
        record=head,
        made=now(),
        plan_lines=plan_facts(evidence.plan),
        departures=departures(evidence.plan),
        deviations=session.scalars(
            select(Deviation).where(Deviation.case_id == case.id).order_by(Deviation.number)
        ).all(),
    )


_MARK_WORDS = {"within_open": "within, some open", "none": "no limit set"}


class _Question:
    """A question with its exhibits and its standing."""

    def __init__(self, number: int, text: str, exhibits: tuple[Exhibit, ...]) -> None:
        self.number = number
        self.text = text
        self.exhibits = [exhibit for exhibit in exhibits if exhibit.question == number]
        mark = worst_mark((exhibit.standing, exhibit.open) for exhibit in self.exhibits)
        self.standing = _MARK_WORDS.get(mark, mark) if self.exhibits else "no check was run"


_TINY = 0.0005
"""A p value below this has no digit to show."""
_COUNTED_FROM = 2
"""Whole numbers from here on are counts where nothing was estimated; a share of 1 is none."""


def _estimate(estimate: Estimate) -> str:
    if estimate.value is None:
        return f"– ({estimate.note})"
    tiny = estimate.comparison in ("p_value", "p_value_holm") and estimate.value < _TINY
    value = f"< {wording.number(2 * _TINY)}" if tiny else wording.number(estimate.value)
    if estimate.low is None and estimate.value == int(estimate.value) and estimate.value >= _COUNTED_FROM:
        # What was counted has no interval and no decimals.
        value = wording.count(int(estimate.value))
    ends = estimate.judged_ends
    if ends == (None, None):
        return f"{value} (no interval: {estimate.note or 'a single value'})"
    low = wording.number(ends[0]) if ends[0] is not None else "−∞"
    high = wording.number(ends[1]) if ends[1] is not None else "∞"
    few = f", {estimate.note}" if estimate.note == "too few to judge" else ""
    return f"{value} [{low}, {high}], n {wording.count(estimate.n)}{few}"


def _pdf(html: str) -> bytes:
    # Imported here: it loads Pango, which only the report needs.
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    # The report carries all it shows; nothing is ever fetched.
    inside = URLFetcher(allowed_protocols=("data",), allow_redirects=False)
    return bytes(HTML(string=html, url_fetcher=inside).write_pdf() or b"")
