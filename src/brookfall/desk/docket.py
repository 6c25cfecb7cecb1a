"""The docket and the head of a case: where each stands, and what waits for whom."""

import json
from collections.abc import Iterable, Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session, defer

from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation.errors import ForbiddenError
from brookfall.core.foundation.wording import counted
from brookfall.core.judge import case_life
from brookfall.core.judge.condition_life import MET
from brookfall.core.judge.finding_life import REPORTED, UNSETTLED
from brookfall.core.judge.standing import worst_mark
from brookfall.core.recipe.families import recipe_in_words
from brookfall.core.submission.difference import version_changes
from brookfall.core.submission.schema import Submission
from brookfall.desk import people
from brookfall.desk.approvals import Approvals, approvals_today
from brookfall.desk.docket_query import PAGE, DocketQuery, narrowed, order_of
from brookfall.desk.judges import judges_of
from brookfall.desk.re_review import OPENED, reviews_of
from brookfall.desk.said import parts_of
from brookfall.desk.set_up import plan_by_policy_in_force
from brookfall.desk.statements import marks_of_statements
from brookfall.desk.version_changes import version_of
from brookfall.desk.views import (
    CarriedCondition,
    CarriedFinding,
    CaseLine,
    CaseView,
    ClaimView,
    DocketView,
    FileView,
    GraphLine,
    Mark,
    May,
    ReReview,
    SeverityCount,
    VersionSince,
)
from brookfall.desk.views import Standing as MarkStanding
from brookfall.records import audit_log
from brookfall.records.approvals import Approval, ApprovalCondition
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Blob, Case, SubmittedFile
from brookfall.records.findings_and_decisions import Decision, Finding, StoredEstimate, StoredExhibit
from brookfall.records.people import Person
from brookfall.records.questions import OwnerQuestion
from brookfall.records.runs import Run

_STATE_WORDS = {
    "waiting": "waiting",
    "in_review": "in review",
    "proposed": "proposed",
    "decided": "decided",
    "withdrawn": "withdrawn",
}
_KIND_WORDS = {
    "approved": "approved",
    "approved_with_conditions": "approved with conditions",
    "returned_for_rework": "returned for rework",
    "not_approved": "not approved",
}


HEADS = tuple(
    defer(column) for column in (Case.submission, Case.plan, Case.roles, Case.changes, Case.added, Case.label_marks)
)
"""For lists of cases: what a line tells nothing of is left in the database until somebody asks."""


def docket(session: Session, person: Person, wanted: DocketQuery | None = None) -> DocketView:
    """The cases the person may see, oldest first unless another order is wanted."""
    wanted = wanted or DocketQuery()
    conditions = list(narrowed(person, wanted))
    of_states = select(Case.state, func.count()).where(people.visible(person), *conditions).group_by(Case.state)
    counts = dict(session.execute(of_states).all())
    query = people.visible_cases(person).where(*conditions).options(*HEADS).order_by(*order_of(wanted))
    if wanted.state is not None:
        query = query.where(Case.state == wanted.state)
    if wanted.page is not None:
        query = query.limit(PAGE).offset(PAGE * (wanted.page - 1))
    cases = list(session.scalars(query))
    return DocketView(
        cases=lines_of(session, person, cases),
        counts=counts,
        total=counts.get(wanted.state, 0) if wanted.state else sum(counts.values()),
    )


def lines_of(
    session: Session,
    person: Person,
    cases: list[Case],
    known: Approvals | None = None,
    runs: dict[int, Run] | None = None,
) -> list[CaseLine]:
    """What the docket says of each case, in a handful of queries however many there are.

    ``known`` are the approvals of their models and ``runs`` their latest runs, where they were read already.
    """
    known = known or approvals_today(session, {case.model_id for case in cases})
    ids = [case.id for case in cases]
    runs = _latest_runs(session, ids) if runs is None else runs
    marks = _marks(session, cases, runs)
    findings, with_findings = _finding_counts(session, ids)
    held = _held_by_questions(session, ids)
    decisions = {
        decision.case_id: decision
        for decision in session.scalars(select(Decision).where(Decision.case_id.in_(ids)).order_by(Decision.id))
    }
    return [
        CaseLine(
            id=case.id,
            model=case.model,
            model_key=case.registered.key,
            version=case.version,
            review=case.review,
            outcome=case.outcome,
            tier=case.tier,
            owner=case.owner.name,
            reviewer=case.reviewer.name if case.reviewer else None,
            due=case.due,
            priority=case.priority,
            state=case.state,
            step=step_of(case, runs.get(case.id), case.id in with_findings),
            stands=_stands(case, runs.get(case.id), decisions.get(case.id), *known.met(case.id))
            + (", waits for the owner" if case.id in held else ""),
            waits_for_owner=case.id in held,
            marks=marks.get(case.id, []),
            findings=findings.get(case.id, []),
            may_take=people.may_take(person, case),
        )
        for case in cases
    ]


def _latest_runs(session: Session, case_ids: list[int]) -> dict[int, Run]:
    runs = session.scalars(select(Run).where(Run.case_id.in_(case_ids)).order_by(Run.id))
    return {run.case_id: run for run in runs}


def latest_run(session: Session, case_id: int) -> Run | None:
    return _latest_runs(session, [case_id]).get(case_id)


def _marks(session: Session, cases: list[Case], runs: dict[int, Run]) -> dict[int, list[Mark]]:
    """The marks of cases that were run, by case: of exhibits and statements; what is due and not written is open."""
    if not runs:
        return {}
    found: dict[int, dict[int, list[tuple[str | None, int | None]]]] = {}
    run_ids = [run.id for run in runs.values()]
    # A row a case: a full house has tens of thousands of exhibits.
    told = func.concat_ws(
        ":", StoredExhibit.question, func.coalesce(StoredExhibit.standing, ""), func.coalesce(StoredExhibit.open, 0)
    )
    query = select(StoredExhibit.case_id, func.group_concat(told)).where(StoredExhibit.run_id.in_(run_ids))
    for case_id, of_case in session.execute(query.group_by(StoredExhibit.case_id)):
        for question, standing, left in (one.split(":") for one in of_case.split(",")):
            found.setdefault(case_id, {}).setdefault(int(question), []).append((standing or None, int(left)))
    for case_id, written in marks_of_statements(session, [case for case in cases if case.id in found]).items():
        for question, standing in written:
            found[case_id].setdefault(question, []).append((standing, 0))
    return {
        case_id: [Mark(question=q, standing=mark_of(marked)) for q, marked in sorted(by_q.items())]
        for case_id, by_q in found.items()
    }


def mark_of(marked: Iterable[tuple[str | None, int | None]]) -> MarkStanding:
    """The mark of exhibits and statements, each with its standing and how much of it is open: that of the worst;
    ``none`` when nothing was judged."""
    return worst_mark((None if standing is None else Standing(standing), left or 0) for standing, left in marked)


def _finding_counts(session: Session, case_ids: list[int]) -> tuple[dict[int, list[SeverityCount]], set[int]]:
    """By case and severity the findings about which somebody has still to do something; and the cases with any that
    was sent."""
    counts: dict[int, dict[int, int]] = {}
    with_any: set[int] = set()
    query = select(Finding.case_id, Finding.severity, Finding.state)
    for case_id, severity, state in session.execute(
        query.where(Finding.case_id.in_(case_ids), Finding.state.in_(REPORTED))
    ):
        with_any.add(case_id)
        if state in UNSETTLED:
            of_case = counts.setdefault(case_id, {})
            of_case[severity] = of_case.get(severity, 0) + 1
    told = {
        case_id: [SeverityCount(severity=s, count=n) for s, n in sorted(of_case.items(), reverse=True)]
        for case_id, of_case in counts.items()
    }
    return told, with_any


def _held_by_questions(session: Session, case_ids: list[int]) -> set[int]:
    """The cases in review that wait for the owner to answer a question."""
    query = select(OwnerQuestion.case_id).join(Case, Case.id == OwnerQuestion.case_id).distinct()
    query = query.where(OwnerQuestion.case_id.in_(case_ids), OwnerQuestion.state == "asked", OwnerQuestion.holds)
    return set(session.scalars(query.where(Case.state == "in_review")))


def step_of(case: Case, run: Run | None, has_findings: bool) -> int:
    """How many of the six steps of the course are done."""
    if case.state == "decided":
        return 6
    if case.state == "proposed":
        return 5
    if run is not None and run.state != "running":
        return 5 if has_findings else 4
    if case.plan_locked:
        return 3
    return 1 if case.state == "waiting" else 2


def _stands(case: Case, run: Run | None, decision: Decision | None, met: int, has_lapsed: bool) -> str:
    if decision is not None and decision.state == "accepted":
        count = len(decision.conditions)
        if has_lapsed:
            return "approved, lapsed"
        if met:
            return f"approved, {met} of {counted(count, 'condition')} met"
        return f"approved, {counted(count, 'condition')}" if count else _KIND_WORDS[decision.kind]
    if decision is not None and decision.state == "proposed":
        return f"proposed: {_KIND_WORDS[decision.kind]}"
    if decision is not None and case.state == "in_review":
        return "sent back"
    if case.deviating and case.state == "in_review":
        return "deviation open"
    if run is not None and case.state == "in_review":
        return {"running": "running", "done": "runs finished", "cancelled": "run cancelled"}[run.state]
    return _STATE_WORDS[case.state]


def take(session: Session, person: Person, case_id: int) -> Case:
    """The person becomes the case's reviewer; ForbiddenError when they may not."""
    case = people.case_for(session, person, case_id, lock=True)
    if not people.may_take(person, case):
        why = (
            "You belong to this model, so you can't review it."
            if people.belongs_to_case(person, case)
            else "The case has a reviewer already, or you are not one."
        )
        raise ForbiddenError(why, todo="Nothing was changed.")
    people.refuse_new_member(session, person, case)
    if person.id in judges_of(session, case):
        raise ForbiddenError("You judged this case as a second, so you can't review it.", todo="Nothing was changed.")
    case.give_to(person)
    case.state = "in_review"
    plan_by_policy_in_force(session, case)
    audit_log.append(
        session, person, "took the case", f"{case.model} {case.version}", case_id=case.id, after={"state": case.state}
    )
    return case


def case_view(session: Session, person: Person, case_id: int) -> CaseView:
    """The head of a case and its brief, claims beside their recomputed values once known."""
    case = people.case_for(session, person, case_id)
    submission = Submission.model_validate(case.submission)
    of_model = select(Case).where(Case.model_id == case.model_id, Case.id != case.id).order_by(Case.id)
    others = list(session.scalars(of_model))
    earlier = [other for other in others if other.id < case.id]
    runs = _latest_runs(session, [case.id, *(other.id for other in others)])
    run = runs.get(case.id)
    line, *previous = lines_of(session, person, [case, *others], runs=runs)
    sizes = session.execute(
        select(SubmittedFile.path, Blob.size, Blob.sha256)
        .join(Blob, Blob.sha256 == SubmittedFile.sha256)
        .where(SubmittedFile.case_id == case_id)
        .order_by(SubmittedFile.path)
    )
    return CaseView(
        id=case.id,
        model=case.model,
        model_key=case.registered.key,
        version=case.version,
        review=case.review,
        re_review=_asked_again(session, case),
        before=next((other.id for other in reversed(others) if _is_before(other, case)), None),
        tier=case.tier,
        outcome=case.outcome,
        state=case.state,
        step=line.step,
        due=case.due,
        priority=case.priority,
        owner=case.owner.name,
        reviewer=line.reviewer,
        countersigner=case.countersigner.name if case.countersigner else None,
        plan_locked=case.plan_locked,
        deviating=case.deviating,
        run_state=run.state if run else None,
        findings=sum(count.count for count in line.findings),
        submission=submission,
        recipe_words=recipe_in_words(submission.recipe, submission.model.outcome) if submission.recipe else None,
        graph=_graph(submission),
        package_sha256=case.package_sha256,
        n_rows=case.n_rows,
        rows_taken=case.rows_taken,
        files=[FileView(path=path, size=size, sha256=sha) for path, size, sha in sizes],
        claims=_claims(session, submission, run),
        previous=previous,
        since=_since(session, case, earlier),
        carried_findings=_carried_findings(session, earlier),
        carried_conditions=_carried_conditions(session, earlier),
        marks=line.marks,
        may=May(
            take=people.may_take(person, case),
            review=people.may_review(person, case),
            replay=people.may_replay(person, case),
            countersign=people.may_countersign(person, case),
            handle=list(case_life.LIFE.acts_of(case.state, parts_of(person, case), case.state)),
        ),
    )


def _graph(submission: Submission) -> list[GraphLine]:
    """What the fitted model is made of, as it was read; nothing where none came."""
    graph = None if submission.artifact is None else submission.artifact.graph
    return [] if graph is None else [GraphLine(name=name, words=words) for name, words in graph.lines]


def _carried_findings(session: Session, earlier: Sequence[Case]) -> list[CarriedFinding]:
    """What was found in earlier cases of the model and is settled by nobody yet, the gravest first."""
    if not earlier:
        return []
    query = select(Finding, Case.version).join(Case, Case.id == Finding.case_id)
    query = query.where(Case.id.in_([one.id for one in earlier]), Finding.state.in_(UNSETTLED))
    return [
        CarriedFinding(
            case_id=finding.case_id, version=version, number=finding.number, severity=finding.severity,
            title=finding.title, state=finding.state,
        )
        for finding, version in session.execute(query.order_by(Finding.severity.desc(), Finding.id))
    ]  # fmt: skip


def _carried_conditions(session: Session, earlier: Sequence[Case]) -> list[CarriedCondition]:
    """The conditions of earlier approvals of the model that are not met, the first due first."""
    if not earlier:
        return []
    query = select(ApprovalCondition, Approval.case_id, Case.version)
    query = query.join(Approval, Approval.id == ApprovalCondition.approval_id).join(Case, Case.id == Approval.case_id)
    query = query.where(Case.id.in_([one.id for one in earlier]), ApprovalCondition.state.not_in(MET))
    return [
        CarriedCondition(
            case_id=case_id, version=version, number=condition.number, what=condition.what, due=condition.due,
            state=condition.state,
        )
        for condition, case_id, version in session.execute(query.order_by(ApprovalCondition.due, ApprovalCondition.id))
    ]  # fmt: skip


def _is_before(other: Case, case: Case) -> bool:
    """Whether a case is of a review before this one, on the same version, that came to its end."""
    return other.version == case.version and other.review < case.review and other.state != "withdrawn"


def _asked_again(session: Session, case: Case) -> ReReview | None:
    """Why the version is reviewed again, and who asked; None of a first review."""
    if case.review == 1:
        return None
    entry = session.scalars(
        select(RecordEntry).where(RecordEntry.case_id == case.id, RecordEntry.act == OPENED)
    ).first()  # fmt: skip
    return None if entry is None else ReReview(reason=json.loads(entry.after)["reason"], by=entry.who, at=entry.at)


def _since(session: Session, case: Case, earlier: list[Case]) -> VersionSince | None:
    """What changed since the last version before this one; of a re-review since the one before, where it has rows of
    its own."""
    last = max(earlier, key=lambda one: one.id, default=None)
    if case.review > 1:
        last = _on_other_rows(session, case)
    if last is None:
        return None
    changes = version_changes(version_of(session, last), version_of(session, case))
    return VersionSince(case_id=last.id, version=last.version, changes=list(changes))


def _on_other_rows(session: Session, case: Case) -> Case | None:
    """The review that a re-review follows, where it was of other files."""
    before = [one for one in reviews_of(session, case.model_id, case.version) if one.review < case.review]
    last = next((one for one in before if one.state != "withdrawn"), None)
    return None if last is None or last.package_sha256 == case.package_sha256 else last


def _claims(session: Session, submission: Submission, run: Run | None) -> list[ClaimView]:
    found: list[StoredEstimate] = []
    if run is not None:
        query = (
            select(StoredEstimate)
            .join(StoredExhibit, StoredExhibit.id == StoredEstimate.exhibit_id)
            .where(StoredExhibit.run_id == run.id, StoredExhibit.name == "claims")
            .order_by(StoredEstimate.position)
        )
        found = list(session.scalars(query))
    views = []
    for place, claim in enumerate(submission.claims):
        estimate = found[place] if place < len(found) else None
        views.append(
            ClaimView(
                measure=claim.measure,
                where=claim.where,
                claimed=claim.value,
                value=estimate.value if estimate else None,
                low=estimate.low if estimate else None,
                high=estimate.high if estimate else None,
                n=estimate.n if estimate else None,
                verdict=estimate.verdict if estimate else None,
            )
        )
    return views
