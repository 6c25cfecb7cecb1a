"""Questions to the owner: asked of an exhibit, a column, a claim or the case as a whole, answered with files."""

from datetime import date, timedelta
from textwrap import shorten
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from brookfall.core.evidence.words import QUESTION_STATES
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.judge.question_life import LIFE, QuestionAct, QuestionState, may_ask
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.difference import claim_words
from brookfall.core.submission.schema import Submission
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.said import Kind, file_of, parts_of, told
from brookfall.desk.views import AskedAbout, AskedView, AskedViews, SaidView
from brookfall.desk.written import Words
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.exhibits import heads_of
from brookfall.records.people import Person
from brookfall.records.questions import OwnerQuestion, OwnerQuestionEntry, OwnerQuestionFile
from brookfall.records.tables import stored_columns

_KIND = Kind[QuestionAct, QuestionState](
    "question",
    LIFE,
    QUESTION_STATES,
    {
        "answer": "answer it",
        "ask_again": "ask it again",
        "settle": "settle it",
        "withdraw": "withdraw it",
        "comment": "comment on it",
    },
)
_DONE: dict[QuestionAct, str] = {
    "answer": "answered a question",
    "ask_again": "asked a question again",
    "settle": "settled a question",
    "withdraw": "withdrew a question",
    "comment": "commented on a question",
}
_WHOLE = (
    joinedload(OwnerQuestion.asked_by),
    selectinload(OwnerQuestion.entries).joinedload(OwnerQuestionEntry.person),
    selectinload(OwnerQuestion.entries).selectinload(OwnerQuestionEntry.files).joinedload(OwnerQuestionFile.blob),
)


class AboutWhat(BaseModel):
    """What is asked about: an exhibit by its number, a column by its name, a claim by its place in the brief from 1."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["exhibit", "column", "claim"]
    key: str = Field(min_length=1, max_length=200)


class NewQuestion(BaseModel):
    """What the reviewer asks. While it ``holds`` the case, that waits for the owner."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    text: Annotated[Words, Field(max_length=12_000)]
    about: AboutWhat | None = None
    due: date | None = None
    holds: bool = True


class QuestionDone(BaseModel):
    """What is done about a question, and what is said with it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    act: QuestionAct
    revision: int
    text: str = Field(default="", max_length=12_000)


def questions_view(session: Session, person: Person, case_id: int) -> AskedViews:
    """What the owner of a case was asked, in that order, and whether this person may ask more."""
    case = people.case_for(session, person, case_id)
    query = select(OwnerQuestion).where(OwnerQuestion.case_id == case.id).options(*_WHOLE)
    found = session.scalars(query.order_by(OwnerQuestion.number))
    return AskedViews(
        may_ask=may_ask(parts_of(person, case), case.state), questions=[_view(person, case, one) for one in found]
    )


def ask(session: Session, person: Person, case_id: int, asked: NewQuestion) -> AskedView:
    """A new question to the owner of the case; what it is about is quoted as it stands now. Where no day is given by
    which it is to be answered, it is that of the policy.

    Raises
    ------
    UserError
        The day by which it is to be answered is past, or what it is about is not there.
    """
    case = people.reviewed_case(session, person, case_id)
    if asked.due is not None and asked.due < today():
        raise UserError(f"{asked.due:%-d %b %Y} is past.", todo="Give a date to come by which it is to be answered.")
    due = asked.due or today() + timedelta(days=read_plan(case.plan).policy.days_to_answer)
    about = None if asked.about is None else _quoted(session, case, asked.about)
    last = session.scalar(select(func.max(OwnerQuestion.number)).where(OwnerQuestion.case_id == case.id)) or 0
    question = OwnerQuestion(
        case_id=case.id, number=last + 1, text=asked.text, about=about and about.model_dump(), due=due,
        holds=asked.holds, state="asked", revision=1, asked=now(), asked_by_id=person.id,
    )  # fmt: skip
    session.add(question)
    said = asked.model_dump(mode="json", exclude={"about"}) | {"about": question.about, "due": due.isoformat()}
    audit_log.append(session, person, "asked the owner", _subject(question), case_id=case.id, after=said)
    session.flush()
    return _view(person, case, question)


def act_on(session: Session, person: Person, case_id: int, number: int, done: QuestionDone) -> AskedView:
    """Does it, and enters it beside the question and in the record.

    Raises
    ------
    ForbiddenError
        It is not this person's, or not to be done in this state of question and case.
    MissingError
        The case has no question of that number.
    StaleError
        Somebody did something about the question since ``done.revision``.
    UserError
        Nothing was said where the act needs words.
    """
    case = people.case_for(session, person, case_id, lock=True)
    question = _question(session, case, number)
    _KIND.refuse(done.act, question.state, parts_of(person, case), case, seen=done.revision, revision=question.revision)
    text = done.text.strip()
    if LIFE[done.act].reasoned and not text:
        raise UserError("Nothing is said with it.", todo="Write it; it stands beside the question.")
    before = question.state
    question.state = LIFE.after(done.act, before)
    question.revision += 1
    question.entries.append(OwnerQuestionEntry(at=now(), person_id=person.id, act=done.act, text=text))
    audit_log.append(
        session, person, _DONE[done.act], _subject(question), case_id=case.id,
        before={"state": before}, after={"state": question.state, "text": text},
    )  # fmt: skip
    session.flush()
    return _view(person, case, question)


def attach(
    session: Session, person: Person, case_id: int, number: int, entry_id: int, sent: tuple[str, bytes]
) -> AskedView:
    """Keeps a file beside what this person said last of the question; raises as :meth:`Kind.keep`."""
    case = people.case_for(session, person, case_id, lock=True)
    question = _question(session, case, number)
    says = LIFE.may("comment", question.state, parts_of(person, case), case.state)
    to = (question.entries, entry_id)
    entry, path, sha256 = _KIND.keep(session, person, case, sent, to, says=says, number=number)
    entry.files.append(OwnerQuestionFile(path=path, sha256=sha256, added=now()))
    session.flush()
    return _view(person, case, question)


def file_bytes(
    session: Session, person: Person, case_id: int, number: int, entry_id: int, file_id: int
) -> tuple[str, bytes]:
    """A file that was sent with an entry: its name and its bytes, as they were kept."""
    case = people.case_for(session, person, case_id)
    return file_of(session, _KIND.entry_of(_question(session, case, number).entries, entry_id), file_id)


def _subject(question: OwnerQuestion) -> str:
    """What an entry of the record is about: the question by its number and how it begins."""
    return f"{question.number}: {shorten(question.text, 120, placeholder=' …')}"


def _quoted(session: Session, case: Case, about: AboutWhat) -> AskedAbout:
    """What is asked about, in its own words as they are now."""
    words = {"exhibit": _of_exhibit, "column": _of_column, "claim": _of_claim}[about.kind](session, case, about.key)
    if words is None:
        raise UserError(f"There is no such {about.kind} in this case.", todo="Load the page again, and ask from there.")
    return AskedAbout(kind=about.kind, key=about.key, words=words)


def _of_exhibit(session: Session, case: Case, key: str) -> str | None:
    run = latest_run(session, case.id)
    heads = heads_of(session, run.id) if run is not None else []
    return next((f"{one.title}: {one.headline}" for one in heads if str(one.number) == key), None)


def _of_column(session: Session, case: Case, key: str) -> str | None:
    columns = stored_columns(session, case.id, version=case.table_version)
    return next((f"{one.name}: {one.profile['words']}" for one in columns if one.name == key), None)


def _of_claim(_session: Session, case: Case, key: str) -> str | None:
    claims = Submission.model_validate(case.submission).claims
    named = (f"{claim_words(one)}, claimed {one.value}" for place, one in enumerate(claims, 1) if str(place) == key)
    return next(named, None)


def _question(session: Session, case: Case, number: int) -> OwnerQuestion:
    query = select(OwnerQuestion).where(OwnerQuestion.case_id == case.id, OwnerQuestion.number == number)
    question = session.scalar(query.options(*_WHOLE))
    if question is None:
        raise MissingError("The case has no such question.", todo="Load the page again.")
    return question


def _view(person: Person, case: Case, question: OwnerQuestion) -> AskedView:
    can = LIFE.acts_of(question.state, parts_of(person, case), case.state)
    return AskedView(
        number=question.number,
        text=question.text,
        about=None if question.about is None else AskedAbout.model_validate(question.about),
        due=question.due,
        overdue=question.state == "asked" and question.due is not None and question.due < today(),
        holds=question.holds,
        state=question.state,
        asked=question.asked,
        asked_by=question.asked_by.name,
        revision=question.revision,
        entries=[SaidView(**told(one, question.entries, person, says="comment" in can)) for one in question.entries],
        may=list(can),
    )
