"""Templates of the house: texts of findings with fields, and plans, offered where they fit."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from brookfall.core.check.registry import called_now, checks
from brookfall.core.check.standard_plan import fitting
from brookfall.core.evidence.finding_text import FIELDS, FindingWords, filled
from brookfall.core.foundation.errors import ForbiddenError, MissingError, StaleError, UserError
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.plan_files import compared
from brookfall.desk.views import ComparedPlan, FieldName, TemplatesView, TemplateView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.exhibits import heads_of
from brookfall.records.people import Person
from brookfall.records.templates import Template, open_templates

_WRITERS = frozenset({"reviewer", "administrator"})
_STAYS = "Nothing was changed."


class FindingTemplate(BaseModel):
    """A finding's text for the house: its name, the check that it is for (empty: any), and what it says."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=120)
    check: str = Field(default="", max_length=40)
    words: FindingWords


def templates_view(session: Session, person: Person) -> TemplatesView:
    """All that the house keeps, for who reads every case or writes them."""
    if not (people.sees_all(person) or _may_write(person)):
        raise ForbiddenError("Templates are for those who review.", todo="")
    return TemplatesView(
        findings=[_view(one) for one in open_templates(session, "finding")],
        plans=[_view(one) for one in open_templates(session, "plan")],
        may_write=_may_write(person),
        fields=[FieldName(name=name, stands_for=said) for name, said in FIELDS.items()],
    )


def keep_finding(session: Session, person: Person, text: FindingTemplate) -> TemplatesView:
    """A new text of a finding. UserError where there is one of that name, or no such check."""
    _refuse_others(person)
    _refuse_unknown(text)
    _refuse_same(session, "finding", text.name)
    made = _new(session, person, "finding", text.name, text.check, text.words.model_dump(mode="json"))
    audit_log.append(session, person, "kept a template", _subject(made), after={"template": made.id, **made.content})
    return templates_view(session, person)


def change_finding(
    session: Session, person: Person, template_id: int, revision: int, text: FindingTemplate
) -> TemplatesView:
    """Changes the text of a finding; findings that were begun from it stay. StaleError since ``revision``."""
    kept = _to_change(session, person, template_id, revision)
    if kept.kind != "finding":
        raise UserError("That is a plan.", todo="Save another plan under another name.")
    _refuse_unknown(text)
    if text.name.strip() != kept.name:
        _refuse_same(session, "finding", text.name)
    before = kept.content
    kept.name, kept.fits, kept.content = text.name.strip(), text.check, text.words.model_dump(mode="json")
    kept.revision += 1
    audit_log.append(
        session, person, "changed a template", _subject(kept), before=before, after=kept.content
    )  # fmt: skip
    session.flush()
    return templates_view(session, person)


def close(session: Session, person: Person, template_id: int, revision: int) -> TemplatesView:
    """The template is offered no more; what was begun from it stays."""
    kept = _to_change(session, person, template_id, revision)
    kept.closed = now()
    kept.revision += 1
    audit_log.append(session, person, "closed a template", _subject(kept), after={"template": kept.id})
    session.flush()
    return templates_view(session, person)


def keep_plan(session: Session, person: Person, case_id: int, name: str) -> TemplatesView:
    """Keeps the plan of a case for others of its kind of outcome. UserError where there is one of that name."""
    _refuse_others(person)
    case = people.case_for(session, person, case_id)
    _refuse_same(session, "plan", name)
    made = _new(session, person, "plan", name, case.outcome, read_plan(case.plan).model_dump(mode="json"))
    after = {"template": made.id}
    audit_log.append(session, person, "kept a template", _subject(made), case_id=case.id, after=after)
    return templates_view(session, person)


def finding_texts(session: Session, person: Person, case_id: int, exhibit: int | None) -> list[TemplateView]:
    """The texts that fit a finding from an exhibit, those for its check first, with all that the case can fill in."""
    case = people.case_for(session, person, case_id)
    if not people.may_review(person, case):
        return []
    values = {"model": case.model, "version": case.version, "tier": str(case.tier), "owner": case.owner.name}
    check = ""
    run = latest_run(session, case.id)
    head = next((one for one in heads_of(session, run.id) if one.number == exhibit), None) if run else None
    if head is not None:
        check = called_now(head.name)
        values |= {"exhibit": str(head.number), "check": head.title.lower(), "answer": head.headline}
    found = open_templates(session, "finding", check) if check else open_templates(session, "finding")
    return [_view(one, values) for one in found]


def house_plans(session: Session, person: Person, case_id: int) -> list[TemplateView]:
    """The plans of the house for this kind of outcome."""
    case = people.case_for(session, person, case_id)
    return [_view(one) for one in open_templates(session, "plan", case.outcome)] if people.sees_all(person) else []


def compare_plan(session: Session, person: Person, case_id: int, template_id: int) -> ComparedPlan:
    """A plan of the house, fitted to the case, and what taking it over would change here."""
    case: Case = people.case_for(session, person, case_id)
    kept = session.get(Template, template_id)
    if kept is None or kept.kind != "plan" or kept.closed is not None or not people.sees_all(person):
        raise MissingError("The house keeps no such plan.", todo="Load the page again.")
    return compared(kept.name, fitting(read_plan(kept.content), case.outcome, kept.name), case)


def _may_write(person: Person) -> bool:
    return bool(_WRITERS & set(person.roles))


def _refuse_others(person: Person) -> None:
    if not _may_write(person):
        raise ForbiddenError("Templates are kept by reviewers and administrators.", todo=_STAYS)


def _refuse_unknown(text: FindingTemplate) -> None:
    if text.check and text.check not in checks():
        raise UserError(f"There is no check '{text.check}'.", todo=f"Checks are {', '.join(checks())}.")


def _refuse_same(session: Session, kind: Literal["finding", "plan"], name: str) -> None:
    if not name.strip():
        raise UserError("The template has no name.", todo="Give it one by which others find it.")
    if any(one.name == name.strip() for one in open_templates(session, kind)):
        raise UserError(f"There is one called '{name.strip()}' already.", todo="Give it another name.")


def _new(session: Session, person: Person, kind: str, name: str, fits: str, content: dict[str, object]) -> Template:
    made = Template(
        kind=kind, name=name.strip(), fits=fits, content=content, made_by=person.id, made=now(), revision=1
    )  # fmt: skip
    session.add(made)
    session.flush()
    return made


def _to_change(session: Session, person: Person, template_id: int, revision: int) -> Template:
    _refuse_others(person)
    kept = session.get(Template, template_id, with_for_update=True)
    if kept is None or kept.closed is not None:
        raise MissingError("There is no such template.", todo="Load the page again.")
    if kept.revision != revision:
        raise StaleError("Somebody changed it since you opened it.", todo=f"{_STAYS} Load the page again.")
    return kept


def _subject(kept: Template) -> str:
    return f"{kept.kind}: {kept.name}"


def _view(kept: Template, values: dict[str, str] | None = None) -> TemplateView:
    words = None
    if kept.kind == "finding":
        words = FindingWords.model_validate(kept.content)
        if values is not None:
            texts = ("title", "what", "why", "action")
            # A title has room for a sentence, and an answer may be longer.
            written = {name: filled(getattr(words, name), values) for name in texts}
            words = words.model_copy(update={**written, "title": written["title"][:200]})
    return TemplateView(
        id=kept.id, name=kept.name, fits=kept.fits, words=words, by=kept.maker.name, made=kept.made,
        revision=kept.revision,
    )  # fmt: skip
