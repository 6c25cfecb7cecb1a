"""What a policy would have changed in the cases of the last year: standings judged anew from what was kept."""

import json
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.check.check import Check
from brookfall.core.check.judged_anew import KeptEstimate, KeptExhibit, NeedsRunError, judged_anew, reads_a_change
from brookfall.core.check.registry import called_now, checks
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.core.judge.policy import Policy, default_policy
from brookfall.core.judge.standing import worst
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


@dataclass(frozen=True)
class _Reviewed:
    """A case that was run: what of it is needed to judge it anew, and the policies before and after."""

    run_id: int
    case_id: int
    model: str
    version: str
    before: Policy
    after: Policy
    asked: Collection[str]


def policy_effect(session: Session, person: Person, policy_id: int) -> PolicyEffect:
    """What the policy would have changed; MissingError where the person may not see it.

    An administrator who does not read cases sees counts; who reads every case sees which.
    """
    house = house_of(seen_by(session, person, policy_id))
    since = now() - _YEAR
    cases = list(_reviewed(session, house, since))
    counted, statements, which = Counter[_Moved](), Counter[str](), []
    for start in range(0, len(cases), _AT_ONCE):
        some = cases[start : start + _AT_ONCE]
        kept = _kept_exhibits(session, some)
        for case in some:
            moves = _moves(case, kept.get(case.run_id, []))
            counted.update(moves)
            statements.update(one.title for one in case.after.statements if one.name not in case.asked)
            which.append(_effect(case, moves))
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


def _reviewed(session: Session, house: HousePolicy, since: datetime) -> Iterator[_Reviewed]:
    """Of each case that was not withdrawn the last run that ended since, under its own policy and under the house's."""
    latest = select(func.max(Run.id)).where(Run.state == "done", Run.finished >= since).group_by(Run.case_id)
    # Of a plan no more than the policy that it was made under: a full house has a thousand of them.
    of_plan = [func.json_extract(Case.plan, f"$.{path}") for path in ("house", "policy.statements")]
    query = select(Run.id, Case.id, Case.model, Case.version, Case.tier, Case.outcome, *of_plan)
    query = query.join(Case, Case.id == Run.case_id).where(Run.id.in_(latest), Case.state != "withdrawn")
    afters: dict[tuple[int, str], Policy] = {}
    for run_id, case_id, model, version, tier, outcome, own, statements in session.execute(query.order_by(Case.id)):
        after = afters.setdefault((tier, outcome), house.policy(tier, outcome))
        asked = {one["name"] for one in json.loads(statements or "[]")}
        yield _Reviewed(run_id, case_id, model, version, _own_policy(own or "null", tier), after, asked)


@lru_cache(maxsize=64)
def _own_policy(kept: str, tier: int) -> Policy:
    return default_policy(tier) if kept == "null" else Policy.model_validate_json(kept)


_NEEDS_RUN = "needs a run"
_Moved = tuple[str, Standing | None, Standing | str | None]
"""A check, how an exhibit of it stands, and how it would."""


def _moves(case: _Reviewed, kept: list[KeptExhibit]) -> list[_Moved]:
    return [(one.check.name, one.standing, _would_stand(one, case)) for one in kept]


def _effect(case: _Reviewed, moves: list[_Moved]) -> CaseEffect:
    told = [(old, new) for _, old, new in moves if new not in (old, _NEEDS_RUN)]
    worse = sum(_is_worse(old, new) for old, new in told)
    return CaseEffect(
        case_id=case.case_id, model=case.model, version=case.version, worse=worse, better=len(told) - worse,
        needs_run=sum(new == _NEEDS_RUN for _, _, new in moves),
    )  # fmt: skip


def _would_stand(exhibit: KeptExhibit, case: _Reviewed) -> Standing | str | None:
    try:
        return judged_anew(exhibit, case.before, case.after)
    except NeedsRunError:
        return _NEEDS_RUN


def _is_worse(old: Standing | None, new: Standing | str | None) -> bool:
    """Whether a standing that moved is worse now; one that would not be judged any more is not."""
    return new is not None and worst([one for one in (old, Standing(new)) if one is not None]) == new


def _judged_by_limits(case: _Reviewed) -> set[str]:
    """The checks whose limits change: of all others the standing that is kept tells."""
    found = set()
    for name, check in checks().items():
        with suppress(NeedsRunError):
            if reads_a_change(check, case.before, case.after):
                found.add(name)
    return found


def _kept_exhibits(session: Session, cases: Sequence[_Reviewed]) -> dict[int, list[KeptExhibit]]:
    """The exhibits of the cases' runs by run, with the estimates that they turn on where a limit of theirs changes."""
    run_ids = [case.run_id for case in cases]
    heads = session.execute(
        select(StoredExhibit.id, StoredExhibit.run_id, StoredExhibit.name, StoredExhibit.standing)
        .where(StoredExhibit.run_id.in_(run_ids), StoredExhibit.state == "done")
        .order_by(StoredExhibit.run_id, StoredExhibit.number)
    ).all()
    wanted = {case.run_id: _judged_by_limits(case) for case in cases}
    looked_at = [key for key, run_id, name, _ in heads if called_now(name) in wanted[run_id]]
    leading: dict[int, list[KeptEstimate]] = {key: [] for key, *_ in heads}
    judged = func.json_type(func.json_extract(StoredEstimate.labels, "$.limit")) == "OBJECT"
    of_them = select(StoredEstimate).where(StoredEstimate.exhibit_id.in_(looked_at), judged)
    for row in session.scalars(of_them.order_by(StoredEstimate.exhibit_id, StoredEstimate.position)):
        leading[row.exhibit_id].append(_kept_estimate(row))
    found: dict[int, list[KeptExhibit]] = {}
    for key, run_id, name, standing in heads:
        check: Check | None = checks().get(called_now(name))
        if check is not None:  # else it is of a package that is not installed any more
            kept = KeptExhibit(check, None if standing is None else Standing(standing), leading[key])
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
