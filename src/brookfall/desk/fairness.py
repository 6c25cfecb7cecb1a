"""The fairness audit beside its exhibits: groups made otherwise, pairs of proxies, drafts of findings."""

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.check.groups.draft_findings import CHECKS, DraftedFinding, drafted_from
from brookfall.core.check.groups.proxy_strength import pairs_of
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.retest.run import ask, evaluate
from brookfall.core.table.roles import Roles
from brookfall.desk import people
from brookfall.desk.bench import bench_of
from brookfall.desk.docket import latest_run
from brookfall.desk.views import ExhibitView, ProxyPairView
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import exhibits_now
from brookfall.records.people import Person

REGROUPED = ("groups", "combinations", "group_thresholds")
"""Checks that can be looked at with other groups: they refit nothing."""


class Regrouping(BaseModel):
    """Other bands of a number, other levels taken together, another reference group; by attribute, as in a plan.

    An empty reference sets each group against everyone else.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    bands: dict[str, tuple[float, ...]] = Field(default_factory=dict, max_length=50)
    merged: dict[str, tuple[tuple[str, ...], ...]] = Field(default_factory=dict, max_length=50)
    references: dict[str, str] = Field(default_factory=dict, max_length=50)


def regrouped(session: Session, person: Person, case_id: int, number: int, wanted: Regrouping) -> ExhibitView:
    """An exhibit as it would be with other groups, on the very scores it rests on; nothing is kept.

    UserError where the groups can't be made so; MissingError where its fits are not those of the present plan.
    """
    case = people.case_for(session, person, case_id)
    run = latest_run(session, case_id)
    found = exhibits_now(session, case, run, number)
    if run is None or not found:
        raise MissingError(f"Exhibit {number} is not there.", todo="Run the plan first.")
    name = found[0].check
    if name not in REGROUPED:
        raise UserError(f"Exhibit {number} compares no groups.", todo="Open one that does.")
    bench = bench_of(session, case)
    _refuse_unknown(bench, wanted)
    references = {**bench.plan.references, **wanted.references}
    plan = Plan.model_validate(
        {
            **bench.plan.model_dump(),
            "checks": [name],
            "bands": {**bench.plan.bands, **wanted.bands},
            "merged": {**bench.plan.merged, **wanted.merged},
            "references": {name: group for name, group in references.items() if group},
        }
    )
    other = Bench(bench.subject, plan, bench.marks)
    (asked,) = ask(other, {name: number})
    kept = ledger.load(session, asked.needs)
    if any((need.fit.key, need.reading.key) not in kept.readings for need in asked.needs):
        raise MissingError("The exhibit is not of the plan as it is now.", todo="Run what changed, then look again.")
    return ExhibitView(run_id=run.id, exhibit=evaluate(asked, other, kept))


def _refuse_unknown(bench: Bench, wanted: Regrouping) -> None:
    protected = bench.subject.roles.protected
    for name in (*wanted.bands, *wanted.merged, *wanted.references):
        if name not in protected:
            raise UserError(f"{name} is not a protected column.", todo="Name one that is.", column=name)
    for name in wanted.bands:
        if bench.subject.table.column(name).kind != "number":
            raise UserError("Only a number has bands.", todo="Take levels together instead.", column=name)


def proxy_pairs(session: Session, person: Person, case_id: int) -> list[ProxyPairView]:
    """Pairs of features that together go with an attribute by more than either alone, the largest gain first."""
    case = people.case_for(session, person, case_id)
    level = read_plan(case.plan).policy.level
    found = []
    for pair in pairs_of(bench_of(session, case)):
        ends = pair.together.interval(level)
        found.append(
            ProxyPairView(
                features=list(pair.features),
                attribute=pair.attribute,
                together=pair.together.value or 0.0,
                low=None if ends is None else ends[0],
                high=None if ends is None else ends[1],
                n=pair.together.n,
                alone=pair.alone,
            )
        )
    return found


def drafted_findings(session: Session, person: Person, case_id: int) -> list[DraftedFinding]:
    """Drafts of findings from the latest run's group exhibits, what is outside a limit first."""
    case = people.case_for(session, person, case_id)
    plan, spoken = read_plan(case.plan), Roles.model_validate(case.roles).spoken
    drafts = [draft for exhibit in _group_exhibits(session, case) for draft in drafted_from(exhibit, plan, spoken)]
    return sorted(drafts, key=lambda draft: draft.standing is not Standing.OUTSIDE)


def _group_exhibits(session: Session, case: Case) -> list[Exhibit]:
    """The exhibits that findings are drafted from, and no others: each is read back with all its series."""
    run = latest_run(session, case.id)
    return [one for check in CHECKS for one in exhibits_now(session, case, run, check=check)]
