"""The Plan step: what will be tested, how, and against which limits."""

from collections.abc import Mapping, Sequence

from sqlalchemy.orm import Session

from brookfall.core.check.bench import RECIPE, SCORES, Bench
from brookfall.core.check.groups.ground_facts import ground_lines
from brookfall.core.check.registry import checks
from brookfall.core.check.sentence import About, departure_line, limits_of, with_departures
from brookfall.core.check.standard_plan import known_checks
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import StaleError, UserError
from brookfall.core.measure.registry import forms, words_of
from brookfall.core.plan.departures import Departure, departures, not_the_plans, unexplained
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.recipe.families import family_of, refuse_threshold
from brookfall.core.resample.declared import Shares
from brookfall.core.submission.schema import Submission
from brookfall.core.submission.stated_capacity import stated_capacity
from brookfall.core.table.roles import Roles
from brookfall.desk import people
from brookfall.desk.bench import bench_at_hand, bench_of
from brookfall.desk.deviations import close_deviation, deviations_of
from brookfall.desk.plan_counts import Counters, PlanCounts, checks_to_run, counts_of, missing_fits
from brookfall.desk.versions import versions_to_compare
from brookfall.desk.views import PlanSentence, PlanStatement, PlanView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.people import Person


def plan_view(session: Session, person: Person, case_id: int, counters: Counters) -> PlanView:
    """The plan with what it comes to: sizes of the parts, distinct fits, checks that can't run and why.

    What it comes to in fits is None while a worker counts it.
    """
    case = people.case_for(session, person, case_id)
    plan = read_plan(case.plan)
    roles = Roles.model_validate(case.roles)
    submission = Submission.model_validate(case.submission)
    problem: str | None = None
    bench: Bench | None = None
    counts: PlanCounts | None = None
    try:
        bench = bench_at_hand(session, case)
        sizes = {part: len(rows) for part, rows in bench.split.parts.items()}
        counts = counts_of(session, case, bench, counters)
    except UserError as caught:
        problem, sizes = str(caught), {}
    departing = departures(plan)
    sentences = _sentences(session, case, plan, bench, counts.excluded if counts else {}, departing)
    beside = set().union(*(limits_of(one.sentence) for one in sentences))
    changed = checks_to_run(session, case, counts) if counts else []
    return PlanView(
        revision=case.plan_revision,
        locked=case.plan_locked if case.is_locked else None,
        name=case.plan_name,
        note=case.plan_note,
        locked_by=people.person_of(session, case.plan_locked_by).name if case.plan_locked_by else None,
        deviations=deviations_of(session, case),
        plan=plan,
        counted=counts is not None or problem is not None,
        fits=len(counts.fits) if counts else None,
        pending=len(missing_fits(session, counts, changed)) if counts else None,
        to_run=len(changed) if counts else None,
        shared=counts.shared if counts else None,
        sizes=sizes,
        sentences=sentences,
        statements=[
            PlanStatement(**one.model_dump(), on=one.name in plan.statements) for one in plan.policy.statements
        ],
        departures=[departure_line(one) for one in departing if one.name not in beside],
        positive=_positive(roles, bench),
        owner_split=_owner_split(submission, roles),
        missing_grounds=plan.policy.listed.missing(roles.protected, roles.grounds),
        outcome=submission.model.outcome,
        main_measures={name: words_of(name) for name in forms(submission.model.outcome, "plan")},
        undecided=_undecided(submission),
        has_part_column=roles.part is not None,
        grouped=(roles.group or roles.occasion) is not None,
        timed=roles.time is not None,
        remarks=_remarks(roles, plan, bench),
        problem=problem,
    )


def _undecided(submission: Submission) -> str | None:
    """Why the plan must say where a yes/no is decided; None where the owner has."""
    if submission.model.outcome != "binary":
        return None
    if submission.recipe is not None and submission.recipe.threshold is not None:
        return None
    claimed = sorted({claim.threshold for claim in submission.claims if claim.threshold is not None})
    if not claimed:
        return "The owner declared no threshold"
    return f"The owner declared no threshold but in claims, at {wording.listed([f'{one:g}' for one in claimed])}"


def _sentences(
    session: Session,
    case: Case,
    plan: Plan,
    bench: Bench | None,
    excluded: Mapping[str, str],
    departing: Sequence[Departure],
) -> list[PlanSentence]:
    """Every check that this outcome has, as a sentence whose values can be set, in the order of the questions."""
    roles, submission = Roles.model_validate(case.roles), Submission.model_validate(case.submission)
    about = About(
        plan=plan,
        outcome=case.outcome,
        positive=_positive(roles, bench),
        claims=len(submission.claims),
        protected=tuple(roles.protected),
        features=bench.subject.features if bench else (),
        timed=roles.time is not None,
        capacity_said=_capacity_said(submission, plan),
        versions=tuple(versions_to_compare(session, case.model_id, case.outcome, case.id)),
        grounds=ground_lines(bench) if bench else (),
    )
    return [
        PlanSentence(
            check=name,
            title=check.title,
            question=check.question,
            on=name in plan.checks,
            excluded=excluded.get(name),
            sentence=with_departures(check.sentence(about), departing),
        )
        for name, check in checks().items()
        if case.outcome in check.outcomes
    ]


def _capacity_said(submission: Submission, plan: Plan) -> str:
    """The brief's sentence that the plan's capacity was read from; empty where it is another."""
    stated = stated_capacity(submission.model)
    return stated.said if stated is not None and stated.percent == plan.capacity else ""


def set_plan(session: Session, person: Person, case_id: int, plan: Plan, revision: int, counters: Counters) -> PlanView:
    """Saves the plan. StaleError when somebody saved since ``revision``; UserError once it is locked."""
    case = people.reviewed_case(session, person, case_id)
    if case.is_locked:
        raise UserError("The plan is locked.", todo="Nothing was changed; a deviation with its reason opens it.")
    if case.plan_revision != revision:
        raise StaleError(
            "The plan was changed since you opened this page.", todo="Nothing was overwritten; load the page again."
        )
    declared = Submission.model_validate(case.submission)
    if declared.recipe is not None:
        refuse_threshold(plan.threshold, declared.model.outcome, "The plan's threshold")
    if fixed := not_the_plans(plan, read_plan(case.plan)):
        raise UserError(
            f"The plan would change what only a policy says: {fixed[0]}.",
            todo="Nothing was changed; load the page again. Limits may depart from the policy, with a reason.",
        )
    before, after = case.plan, known_checks(plan).model_dump(mode="json")
    if before != after:
        case.plan, case.plan_revision = after, revision + 1
        audit_log.append_change(session, person, "changed the plan", before, after, case_id=case.id)
    session.flush()
    return plan_view(session, person, case_id, counters)


def name_plan(session: Session, person: Person, case_id: int, name: str, note: str, counters: Counters) -> PlanView:
    """What the reviewer calls the plan, and a note on it; of a locked one too, as no figure rests on either."""
    case = people.reviewed_case(session, person, case_id)
    before, after = {"name": case.plan_name, "note": case.plan_note}, {"name": name.strip(), "note": note.strip()}
    if before != after:
        case.plan_name, case.plan_note = after["name"], after["note"]
        audit_log.append(session, person, "named the plan", after["name"], case_id=case.id, before=before, after=after)
    session.flush()
    return plan_view(session, person, case_id, counters)


def lock(session: Session, person: Person, case: Case) -> Bench:
    """Locks the plan if it is not yet, or anew after a deviation; UserError when it can't be carried out."""
    bench = bench_of(session, case)
    _ = bench.split.parts
    if case.deviating or not case.plan_locked:
        _refuse_unexplained_departure(bench.plan)
    if case.deviating:
        close_deviation(session, person, case)
    if not case.plan_locked:
        _refuse_unexplained_split(Roles.model_validate(case.roles), bench.plan)
        case.plan_locked, case.plan_locked_by = now(), person.id
        audit_log.append(
            session,
            person,
            "locked the plan",
            f"seed {bench.plan.seed}, {len(bench.plan.checks)} checks",
            case_id=case.id,
            after={"plan": case.plan, "roles": case.roles},
        )
    return bench


def _refuse_unexplained_departure(plan: Plan) -> None:
    """UserError where a limit is not the policy's and nobody said why."""
    departure = unexplained(plan)
    if departure is not None:
        raise UserError(f"{departure.words}.", todo="Write why below the check's sentence, or take the policy's limit.")


def _refuse_unexplained_split(roles: Roles, plan: Plan) -> None:
    """UserError where rows that a column orders in time are split at random and nobody said why."""
    if roles.time and isinstance(plan.parts, Shares) and plan.parts.by == "rows" and not plan.split_reason.strip():
        raise UserError(
            f"The column {roles.time} orders the rows in time, and the plan splits them at random.",
            todo="Split by time, or say why not, below the split.",
        )


def _owner_split(submission: Submission, roles: Roles) -> str | None:
    if roles.part is not None:
        return f"The owner's own parts are in the column {roles.part}; claims are recomputed on them, with 20 seeds."
    split = submission.recipe.split if submission.recipe else None
    if split is None:
        return None
    return (
        f"The owner's own split is {100 - 100 * split.test:g}/{100 * split.test:g} with seed {split.seed}. "
        "Claims are recomputed on a split of that size."
    )


def _positive(roles: Roles, bench: Bench | None) -> str:
    """The positive value of a binary outcome, as far as it is known; empty for another outcome."""
    if bench is None:
        return roles.positive or ""
    return bench.subject.target.positive if bench.subject.outcome == "binary" else ""


def _of_artifact(bench: Bench) -> str:
    """What the plan does with the fitted model, or why it is not run or can't be judged."""
    if bench.subject.choices is not None:
        return "The fitted model is not run: of a choice only recipes and supplied scores are tested."
    if not bench.has_artifact:
        return "The fitted model is not run: it came before fitted models were read. Ask the owner to submit it again."
    owners = bench.artifact.owners
    if not owners:
        return (
            "The fitted model is asked about rows, and not judged: nothing says which rows it learned from. Give the "
            "column that says so the role part."
        )
    parts = " · ".join(f"{len(rows)} {part}" for part, rows in owners.items())
    artifact = bench.subject.artifact
    single = artifact is not None and artifact.graph is not None and artifact.graph.is_single
    digits = " It reads numbers as float32, to about seven digits." if single else ""
    return f"The fitted model is tested as it was submitted, on the owner's own parts ({parts}).{digits}"


def _remarks(roles: Roles, plan: Plan, bench: Bench | None) -> list[str]:
    remarks = []
    split_by = plan.parts.by if isinstance(plan.parts, Shares) else None
    if roles.weight:
        remarks.append(f"Rows count by the weights in {roles.weight}, in measures and in fits.")
        if bench is not None and bench.subject.recipe and not family_of(bench.subject.recipe).weighted:
            words = family_of(bench.subject.recipe).words
            remarks.append(f"{words[:1].upper()}{words[1:]} knows no weights: its fit counts every row once.")
    if roles.group and (split_by in ("rows", "time") or plan.cross_validation.by == "rows"):
        remarks.append(f"Rows of one {roles.group} may stand in training and in unseen rows, which flatters the model.")
    if roles.group:
        remarks.append(f"Intervals take rows of one {roles.group} together, as they are alike.")
    if roles.time and split_by in ("rows", "groups"):
        remarks.append(f"The column {roles.time} orders rows in time; unseen rows are not the latest ones here.")
    if bench is not None and bench.subject.dropped:
        why = (
            "that could not be had, or with gaps," if bench.subject.choices is not None else "with gaps or of weight 0"
        )
        remarks.append(f"{bench.subject.dropped} rows {why} are left out before any split.")
    if bench is not None and SCORES in bench.models:
        parts = " · ".join(f"{len(rows)} {part}" for part, rows in bench.supplied_parts.items())
        beside = "beside the refitted recipe" if RECIPE in bench.models else "alone, as no recipe was submitted"
        remarks.append(f"The supplied scores ({parts}) are tested {beside}.")
    if bench is not None and bench.subject.artifact is not None:
        remarks.append(_of_artifact(bench))
    return remarks
