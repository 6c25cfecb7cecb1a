"""The report as pages: HTML from plain contents and drawn charts, and the PDF of it."""

import base64
from collections.abc import Mapping, Sequence
from datetime import datetime
from importlib.resources import files

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from brookfall.core.evidence.limit import Standing
from brookfall.core.evidence.words import (
    DECISIONS,
    FINDING_ACTS,
    FINDING_ANSWERS,
    FINDING_STATES,
    QUESTION_ACTS,
    QUESTION_STATES,
    QUESTIONS,
    SEVERITIES,
    STATEMENT_STANDINGS,
)
from brookfall.core.foundation import digest, wording
from brookfall.core.judge.standing import worst_mark
from brookfall.core.plan.departures import departures
from brookfall.core.plan.facts import plan_facts
from brookfall.core.plan.statements_due import due_by, marks_in_writing, missing_of
from brookfall.core.recipe.families import recipe_in_words
from brookfall.core.retest.evidence_file import Evidence
from brookfall.report.contents import ReportContents
from brookfall.report.fonts import face_css
from brookfall.report.tables import written_tables


def build_html(contents: ReportContents, charts: Mapping[int, Sequence[str]], made: datetime) -> str:
    """The report as one page that carries all it shows.

    Parameters
    ----------
    contents
        All that it says.
    charts
        By the number of an exhibit its charts as they were drawn: SVG, or a table.
    made
        The moment it is made, in UTC: a draft says it.
    """
    evidence, submission = contents.evidence, contents.case.submission
    environment = Environment(
        loader=PackageLoader("brookfall.report"), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    environment.filters["written"] = written_tables
    environment.filters["sentence"] = wording.capital
    return environment.get_template("report.html").render(
        css=Markup(face_css() + (files("brookfall.report") / "templates" / "report.css").read_text(encoding="utf-8")),  # noqa: S704 - our own file
        case=contents.case,
        statement=contents.statement,
        statement_sha256=digest.sha256(contents.statement.to_json()) if contents.statement else None,
        countersigned=contents.countersigned,
        submission=submission,
        recipe=recipe_in_words(submission.recipe, submission.model.outcome) if submission.recipe else None,
        evidence=evidence,
        questions=[_Question(number, text, evidence) for number, text in QUESTIONS.items()],
        charts={number: [Markup(chart) for chart in of_one] for number, of_one in charts.items()},  # noqa: S704 - drawn here
        findings=contents.findings.findings,
        finding_states=FINDING_STATES,
        finding_acts=FINDING_ACTS,
        finding_answers=FINDING_ANSWERS,
        asked_states=QUESTION_STATES,
        asked_acts=QUESTION_ACTS,
        severities={number: words.capitalize() for number, words in SEVERITIES.items()},
        statement_standings=STATEMENT_STANDINGS,
        kinds=DECISIONS,
        made=made,
        plan_lines=plan_facts(evidence.plan),
        departures=departures(evidence.plan),
        overruled={int(one["exhibit"]): one for one in evidence.overrides if one.get("kind") == "standing"},
    )


def build_pdf(contents: ReportContents, charts: Mapping[int, Sequence[str]], made: datetime) -> bytes:
    """The same report as PDF; nothing is fetched for it. Parameters as those of :func:`build_html`."""
    html = build_html(contents, {number: [_image(one) for one in of_one] for number, of_one in charts.items()}, made)
    # Imported here: it loads Pango, which only this needs.
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    inside = URLFetcher(allowed_protocols=("data",), allow_redirects=False)
    return bytes(HTML(string=html, url_fetcher=inside).write_pdf() or b"")


def _image(chart: str) -> str:
    """A drawing as an image: what lays out the pages would weigh every line of it against the page's style."""
    if not chart.startswith("<svg"):
        return chart
    return f'<img alt="" src="data:image/svg+xml;base64,{base64.b64encode(chart.encode()).decode()}">'


_MARK_WORDS = {"within_open": "within, some open", "none": "no limit set"}


class _Question:
    """A question with its exhibits, its statements, written and missing, and its standing."""

    def __init__(self, number: int, text: str, evidence: Evidence) -> None:
        self.number = number
        self.text = text
        self.exhibits = [exhibit for exhibit in evidence.exhibits if exhibit.question == number]
        self.statements = [statement for statement in evidence.statements if statement.question == number]
        self.missing = [due for due in missing_of(due_by(evidence.plan), evidence.statements) if due.question == number]
        marked: list[tuple[Standing | None, int]] = [(exhibit.standing, exhibit.open) for exhibit in self.exhibits]
        in_writing = marks_in_writing(due_by(evidence.plan), evidence.statements) if evidence.exhibits else []
        marked += [(standing, 0) for question, standing in in_writing if question == number]
        mark = worst_mark(marked)
        self.standing = _MARK_WORDS.get(mark, mark) if marked else "no check was run"
