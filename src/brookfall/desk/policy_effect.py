"""What a policy would have changed in the cases of the last year: standings judged anew from what was kept."""

from collections import Counter
from collections.abc import Iterator
from datetime import timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.check.check import Check
from brookfall.core.check.judged_anew import KeptEstimate, KeptExhibit, NeedsRunError, judged_anew
from brookfall.core.check.registry import called_now, checks
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.core.judge.policy import Policy, default_policy
from brookfall.core.judge.standing import worst
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.policies import house_of, seen_by
from brookfall.desk.views import CaseEffect, CheckEffect, CountedText, MovedCount, PolicyEffect
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import day_of
from brookfall.records.findings_and_decisions import StoredEstimate, StoredExhibit
from brookfall.records.people import Person
from brookfall.records.runs import Run

_YEAR = timedelta(days=365)
_AT_ONCE = 200


def policy_effect(session: Session, person: Person, policy_id: int) -> PolicyEffect:
    """What the policy would have changed; MissingError where the person may not see it.

    An administrator who does not read cases sees counts; who reads every case sees which.
    """
    house = house_of(seen_by(session, person, policy_id))
    since = now() - _YEAR
    latest = select(func.max(Run.id)).where(Run.state == "done", Run.finished >= since).group_by(Run.case_id)
    cases = session.execute(select(Run.id, Case).join(Case, Case.id == Run.case_id).where(Run.id.in_(latest))).all()
    counted, statements, which = Counter[_Moved](), Counter[str](), []
    for start in range(0, len(cases), _AT_ONCE):
        some = cases[start : start + _AT_ONCE]
        kept = _kept_exhibits(session, [run_id for run_id, _ in some])
        for run_id, case in some:
            effect, moves = _of_case(case, kept.get(run_id, []), house)
            counted.update(moves)
            statements.update(_due_beside(case, house))
            which.append(effect)
    return PolicyEffect(
        since=day_of(since),
        cases=len(cases),
        worse=sum(one.worse > 0 for one in which),
        better=sum(one.better > 0 for one in which),
        needs_run=sum(one.needs_run > 0 for one in which),
        checks=list(_by_check(counted)),
        statements=[CountedText(what=what, count=count) for what, count in sorted(statements.items())],
        which=[one for one in which if one.worse or one.better or one.needs_run] if people.sees_all(person) else [],
    )


_NEEDS_RUN = "needs a run"
_Moved = tuple[str, Standing | None, Standing | str | None]
"""A check, how an exhibit of it stands, and how it would."""


def _of_case(case: Case, kept: list[KeptExhibit], house: HousePolicy) -> tuple[CaseEffect, list[_Moved]]:
    plan = read_plan(case.plan)
    before, after = plan.house or default_policy(plan.policy.tier), house.policy(case.tier, case.outcome)
    moves: list[_Moved] = [(one.check.name, one.standing, _would_stand(one, before, after)) for one in kept]
    told = [(old, new) for _, old, new in moves if new not in (old, _NEEDS_RUN)]
    worse = sum(_is_worse(old, new) for old, new in told)
    effect = CaseEffect(
        case_id=case.id, model=case.model, version=case.version, worse=worse, better=len(told) - worse,
        needs_run=sum(new == _NEEDS_RUN for _, _, new in moves),
    )  # fmt: skip
    return effect, moves


def _would_stand(exhibit: KeptExhibit, before: Policy, after: Policy) -> Standing | str | None:
    try:
        return judged_anew(exhibit, before, after)
    except NeedsRunError:
        return _NEEDS_RUN


def _is_worse(old: Standing | None, new: Standing | str | None) -> bool:
    """Whether a standing that moved is worse now; one that would not be judged any more is not."""
    return new is not None and worst([one for one in (old, Standing(new)) if one is not None]) == new


def _due_beside(case: Case, house: HousePolicy) -> Iterator[str]:
    """What the policy wants in writing that the case's own did not."""
    asked = {one.name for one in read_plan(case.plan).policy.statements}
    yield from (one.title for one in house.policy(case.tier, case.outcome).statements if one.name not in asked)


def _kept_exhibits(session: Session, run_ids: list[int]) -> dict[int, list[KeptExhibit]]:
    """The exhibits of runs with the estimates that they turn on, by run."""
    heads = session.execute(
        select(StoredExhibit.id, StoredExhibit.run_id, StoredExhibit.name, StoredExhibit.standing)
        .where(StoredExhibit.run_id.in_(run_ids), StoredExhibit.state == "done")
        .order_by(StoredExhibit.run_id, StoredExhibit.number)
    ).all()
    leading: dict[int, list[KeptEstimate]] = {exhibit_id: [] for exhibit_id, *_ in heads}
    of_them = select(StoredEstimate).join(StoredExhibit, StoredExhibit.id == StoredEstimate.exhibit_id)
    of_them = of_them.where(StoredExhibit.run_id.in_(run_ids), StoredExhibit.state == "done")
    judged = func.json_type(func.json_extract(StoredEstimate.labels, "$.limit")) == "OBJECT"
    for row in session.scalars(of_them.where(judged).order_by(StoredEstimate.exhibit_id, StoredEstimate.position)):
        leading[row.exhibit_id].append(_kept_estimate(row))
    found: dict[int, list[KeptExhibit]] = {}
    for exhibit_id, run_id, name, standing in heads:
        check: Check | None = checks().get(called_now(name))
        if check is not None:  # else it is of a package that is not installed any more
            kept = KeptExhibit(check, None if standing is None else Standing(standing), leading[exhibit_id])
            found.setdefault(run_id, []).append(kept)
    return found


def _kept_estimate(row: StoredEstimate) -> KeptEstimate:
    said = row.labels
    return KeptEstimate(
        row.value,
        row.low,
        row.high,
        said.get("wide_low"),
        said.get("wide_high"),
        bool(said.get("few")),
        Limit.model_validate(said["limit"]),
        None if row.standing is None else Standing(row.standing),
        said.get("quantity", row.measure),
    )


def _by_check(counted: "Counter[_Moved]") -> Iterator[CheckEffect]:
    """The checks of which anything moves or can't be told, in the order of the questions."""
    for name, check in checks().items():
        mine = {(old, new): count for (of, old, new), count in counted.items() if of == name}
        moved = [
            MovedCount(before=old, after=new, count=count)
            for (old, new), count in sorted(mine.items(), key=lambda item: -item[1])
            if new not in (old, _NEEDS_RUN)
        ]
        needs_run = sum(count for (_, new), count in mine.items() if new == _NEEDS_RUN)
        if moved or needs_run:
            stay = sum(count for (old, new), count in mine.items() if new == old)
            yield CheckEffect(check=name, title=check.title, stay=stay, moved=moved, needs_run=needs_run)
