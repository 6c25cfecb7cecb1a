"""Finds models, cases, findings, exhibits, questions to the owner and people by words in them.

Each word must stand somewhere in what is found, also within a longer one: `band` in age_band, `2.0` in a version. What
a person may not see is not looked at.
"""

from collections.abc import Iterable
from typing import Any, Literal

from sqlalchemy import ColumnElement, Select, String, and_, func, or_, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.finding_life import REPORTED
from brookfall.desk import people
from brookfall.desk.finding_life import DISCARD
from brookfall.desk.views import Found, SearchView
from brookfall.records.cases import Case
from brookfall.records.findings_and_decisions import Finding, FindingEntry, StoredExhibit
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.questions import OwnerQuestion, OwnerQuestionEntry
from brookfall.records.runs import Run

MOST = 20
"""So many of a kind are shown; how many there are is told."""
_WORDS = 8

Kind = Literal["model", "case", "finding", "exhibit", "question", "person"]


def search(session: Session, person: Person, asked: str) -> SearchView:
    """What has all these words, kind by kind, the newest first.

    Raises
    ------
    UserError
        No word is given, or more than eight.
    """
    words = asked.split()
    if not 0 < len(words) <= _WORDS:
        raise UserError(f"{len(words)} words are given.", todo=f"Give one to {_WORDS} words.")
    found: list[Found] = []
    totals: dict[str, int] = {}
    for kind, query in _queries(person, words):
        rows = session.execute(query.limit(MOST)).all()
        found += [
            Found(kind=kind, case_id=case_id, title=title, text=text, place=place)
            for case_id, title, text, place in rows
        ]
        full = len(rows) == MOST
        totals[kind] = (
            session.scalars(select(func.count()).select_from(query.order_by(None).subquery())).one()
            if full
            else len(rows)
        )
    return SearchView(words=words, found=found, totals=totals)


def _queries(person: Person, words: list[str]) -> Iterable[tuple[Kind, Select[int, str, str, str]]]:
    """For each kind a query of its case, its title, its text, and where it stands within the case."""
    visible = people.visible(person)
    version = func.concat(Case.model, " ", Case.version)
    models = select(
        func.max(Case.id), RegisteredModel.name, RegisteredModel.key, func.concat("/models/", RegisteredModel.key)
    )
    models = models.join(Case, Case.model_id == RegisteredModel.id).where(visible).group_by(RegisteredModel.id)
    yield (
        "model",
        models.where(_has(words, RegisteredModel.name, RegisteredModel.key)).order_by(RegisteredModel.id.desc()),
    )
    purpose = func.json_value(Case.submission, "$.model.purpose", type_=String)
    cases = select(Case.id, version, purpose, func.concat("")).where(visible, _has(words, version, purpose))
    yield "case", cases.order_by(Case.id.desc())
    latest = select(func.max(Run.id)).group_by(Run.case_id)
    answers = select(
        Case.id, func.concat(StoredExhibit.title, ", ", version), StoredExhibit.answer,
        func.concat("evidence?exhibit=", StoredExhibit.number),
    ).join(StoredExhibit, StoredExhibit.case_id == Case.id)  # fmt: skip
    answers = answers.where(
        visible, StoredExhibit.run_id.in_(latest), _has(words, StoredExhibit.answer, StoredExhibit.title, of=version)
    )
    yield "exhibit", answers.order_by(StoredExhibit.id.desc())
    findings = select(
        Case.id,
        func.concat(Finding.title, ", ", version),
        Finding.what,
        func.concat("findings#finding-", Finding.number),
    ).join(Finding, Finding.case_id == Case.id)
    said = (Finding.title, Finding.what, Finding.why, Finding.action)
    findings = findings.where(visible, _shown(person), _has(words, *said, of=version)).order_by(Finding.id.desc())
    yield "finding", findings
    answered = select(func.group_concat(OwnerQuestionEntry.text)).where(
        OwnerQuestionEntry.question_id == OwnerQuestion.id
    )
    questions = select(
        Case.id, func.concat("Question ", OwnerQuestion.number, ", ", version), OwnerQuestion.text,
        func.concat("brief#question-", OwnerQuestion.number),
    ).join(OwnerQuestion, OwnerQuestion.case_id == Case.id)  # fmt: skip
    in_answers = func.coalesce(answered.correlate(OwnerQuestion).scalar_subquery(), "")
    questions = questions.where(visible, _has(words, OwnerQuestion.text, in_answers, of=version))
    yield "question", questions.order_by(OwnerQuestion.id.desc())
    of_person = or_(Case.owner_id == Person.id, Case.reviewer_id == Person.id, Case.countersigner_id == Person.id)
    persons = select(func.max(Case.id), Person.name, func.concat(func.count(), " cases"), func.concat(""))
    persons = persons.select_from(Person).join(Case, of_person).where(visible, _has(words, Person.name, Person.login))
    yield "person", persons.group_by(Person.id).order_by(Person.name)


def _shown(person: Person) -> ColumnElement[bool]:
    """That the person sees the finding: what was not sent is its reviewer's alone, as ``is_shown`` has it."""
    ended = select(FindingEntry.act).where(
        FindingEntry.finding_id == Finding.id, FindingEntry.act.in_(("withdraw", DISCARD))
    )
    last = ended.order_by(FindingEntry.id.desc()).limit(1).correlate(Finding).scalar_subquery()
    withdrawn = and_(Finding.state == "withdrawn", last != DISCARD)
    return or_(Finding.state.in_(REPORTED), withdrawn, people.is_part(person, "reviewer"))


def _has(words: Iterable[str], *columns: Any, of: ColumnElement[str] | None = None) -> ColumnElement[bool]:
    """That each word stands in one of the columns, or in the name of what they are ``of``; one at least in a column.
    Whether it is written large or small makes no difference."""
    own = func.lower(func.concat_ws(" ", *columns))
    known = own if of is None else func.lower(func.concat_ws(" ", own, of))
    lowered = [word.lower() for word in words]
    return and_(
        *(known.contains(word, autoescape=True) for word in lowered),
        or_(*(own.contains(word, autoescape=True) for word in lowered)),
    )
