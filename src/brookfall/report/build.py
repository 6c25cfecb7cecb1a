"""The report as pages: HTML from plain contents and drawn charts, and the PDF of it, in the form that is asked for."""

import base64
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from functools import partial
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from brookfall.core.evidence.words import (
    DECISIONS,
    FINDING_ACTS,
    FINDING_ANSWERS,
    FINDING_STATES,
    QUESTION_ACTS,
    QUESTION_STATES,
    SEVERITIES,
    STATEMENT_STANDINGS,
)
from brookfall.core.foundation import digest, wording
from brookfall.core.judge.finding_life import STANDS
from brookfall.core.judge.report_form import LANGUAGES, LENGTHS, MOST_PAGES, OrderedReport
from brookfall.core.plan.departures import departures
from brookfall.core.plan.facts import plan_facts
from brookfall.core.recipe.families import recipe_in_words
from brookfall.report.contents import ReportContents
from brookfall.report.fonts import face_css
from brookfall.report.questions import Overruled, from_worst, questions_of, stands
from brookfall.report.room import ROOMS, Room, cut
from brookfall.report.tables import written_tables
from brookfall.report.writing import Writing

if TYPE_CHECKING:
    from weasyprint import Document

Charts = Mapping[int, Sequence[str]]
"""By the number of an exhibit its charts as they were drawn: SVG, or a table."""
WHOLE = OrderedReport()
_DRAWING = re.compile(r"<svg\b.*?</svg>", re.DOTALL)


@dataclass(frozen=True)
class Pages:
    """A report as HTML and as PDF, and how many pages the PDF has."""

    html: str
    pdf: bytes
    count: int


def build_html(
    contents: ReportContents, charts: Charts, made: datetime, form: OrderedReport = WHOLE, room: Room = ROOMS[0]
) -> str:
    """The report as one page that carries all it shows.

    Parameters
    ----------
    contents
        All that it says.
    charts
        Only a whole report shows them.
    made
        The moment it is made, in UTC: a draft says it.
    form
        Its length, parts, language and paper.
    room
        How much a short one tells.
    """
    environment = _environment(Writing(form.language))
    overruled = {int(one["exhibit"]): one for one in contents.evidence.overrides if one.get("kind") == "standing"}
    environment.filters["stands"] = partial(stands, overruled=overruled)
    html = environment.get_template(f"{form.length}.html").render(
        _words()
        | _told(contents, overruled)
        | {
            "form": form,
            "room": room,
            "made": made,
            "length": wording.capital(LENGTHS[form.length]),
            "language": LANGUAGES[form.language],
            "charts": {number: [Markup(chart) for chart in of_one] for number, of_one in charts.items()},  # noqa: S704 - drawn here
            "css": "",
        }
    )
    style = (files("brookfall.report") / "templates" / "report.css").read_text(encoding="utf-8")
    # The fonts for what is written and no more; nothing that was submitted can stand before the first style.
    return html.replace("<style>", f"<style>{face_css(html)}{style}", 1)


def build_pdf(
    contents: ReportContents, charts: Charts, made: datetime, form: OrderedReport = WHOLE, room: Room = ROOMS[0]
) -> bytes:
    """The same report as PDF; nothing is fetched for it. Parameters as those of :func:`build_html`."""
    shown = {number: [_image(one) for one in of_one] for number, of_one in charts.items()}
    return bytes(_laid_out(build_html(contents, shown, made, form, room)).write_pdf() or b"")


def build_short(contents: ReportContents, made: datetime, form: OrderedReport) -> Pages:
    """A short report or the committee's sheet, with as much as its pages hold. Parameters as those of
    :func:`build_html`.

    Raises
    ------
    ValueError
        The form is that of a whole report, which has as many pages as it takes.
    """
    most = MOST_PAGES[form.length]
    if most is None:
        raise ValueError("a whole report has as many pages as it takes")
    for room in ROOMS:
        html = build_html(contents, {}, made, form, room)
        document = _laid_out(html)
        if len(document.pages) <= most:
            break
    return Pages(html, bytes(document.write_pdf() or b""), len(document.pages))


def _laid_out(html: str) -> "Document":
    # Imported here: it loads Pango, which only this needs.
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    inside = URLFetcher(allowed_protocols=("data",), allow_redirects=False)
    return HTML(string=html, url_fetcher=inside).render()


def _environment(writing: Writing) -> Environment:
    environment = Environment(
        loader=PackageLoader("brookfall.report"), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    environment.filters |= {
        "as_written": lambda value: writing.plain(str(value)),
        "count": writing.count,
        "counted": wording.counted,
        "cut": cut,
        "day": lambda day: writing.day(day if isinstance(day, date) else date.fromisoformat(day)),
        "ended": wording.ended,
        "moment": writing.moment,
        "number": writing.number,
        "sentence": wording.capital,
        "tables": partial(written_tables, writing=writing),
    }
    return environment


def _words() -> dict[str, Any]:
    """What codes of the record are called."""
    return {
        "finding_states": FINDING_STATES,
        "finding_acts": FINDING_ACTS,
        "finding_answers": FINDING_ANSWERS,
        "asked_states": QUESTION_STATES,
        "asked_acts": QUESTION_ACTS,
        "severities": {number: words.capitalize() for number, words in SEVERITIES.items()},
        "statement_standings": STATEMENT_STANDINGS,
        "kinds": DECISIONS,
    }


def _told(contents: ReportContents, overruled: Overruled) -> dict[str, Any]:
    """All that any length tells, under the names that the templates have for it."""
    case, evidence, statement = contents.case, contents.evidence, contents.statement
    submission, findings = case.submission, contents.findings.findings
    questions, departing = questions_of(evidence, overruled), departures(evidence.plan)
    return {
        "case": case,
        "submission": submission,
        "recipe": recipe_in_words(submission.recipe, submission.model.outcome) if submission.recipe else None,
        "evidence": evidence,
        "statement": statement,
        "statement_sha256": digest.sha256(statement.to_json()) if statement else None,
        "countersigned": contents.countersigned,
        "questions": questions,
        "told": sorted((line for one in questions for line in one.told), key=from_worst),
        "findings": findings,
        "open_findings": [one for one in findings if one.state in STANDS],
        "unanswered": [one for one in case.questions if one.state == "asked"],
        "plan_lines": plan_facts(evidence.plan),
        "departures": departing,
        "overruled": overruled,
        "counts": _counts(contents, overruled),
        "otherwise": [
            *(f"{one.words}: {one.reason or 'no reason was given'}" for one in departing),
            *(_overruling(one) for one in overruled.values()),
            *(f"Deviation {one.number}: {one.reason}" for one in case.deviations),
        ],
    }


def _counts(contents: ReportContents, overruled: Overruled) -> str:
    """How many exhibits stand how, and how much is other than the policy or the plan."""
    exhibits = contents.evidence.exhibits
    marks = Counter(one.standing.value for one in exhibits if one.standing)
    standings = [f"{wording.count(marks[mark])} {mark}" for mark in ("outside", "near", "unsettled", "within")]
    return (
        f"{wording.capital(wording.counted(len(exhibits), 'exhibit'))}: {wording.listed(standings)}. "
        f"{wording.counted(len(departures(contents.evidence.plan)), 'limit')} other than the policy's, "
        f"{wording.counted(len(overruled), 'standing')} overruled, "
        f"{wording.counted(len(contents.case.deviations), 'deviation')} from the plan."
    )


def _overruling(one: Mapping[str, Any]) -> str:
    return f"Exhibit {one['exhibit']} stands {one['standing']} and is taken as {one['taken_as']}: {one['reason']}"


def _image(chart: str) -> str:
    """Its drawings as images: what lays out the pages would weigh every line of them against the page's style."""
    return _DRAWING.sub(lambda drawn: f'<img alt="" src="{_data(drawn[0])}">', chart)


def _data(drawing: str) -> str:
    return f"data:image/svg+xml;base64,{base64.b64encode(drawing.encode()).decode()}"
