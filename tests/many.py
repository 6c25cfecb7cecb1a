"""A full house, from a seed: models with versions, reviewed and decided, with findings and conditions.

Put into a house that has the demo's data: what the cases hold in common (brief, plan, roles) is that of one of its
cases, so that each weighs what a real one does. Nothing is run, and the record says nothing of them.
"""

import random
from datetime import date, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.judge.approval import years_after
from brookfall.core.judge.condition_life import STATES as CONDITION_STATES
from brookfall.core.judge.finding_life import STATES as FINDING_STATES
from brookfall.records.approvals import Approval, ApprovalCondition
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.findings_and_decisions import Decision, Finding, StoredExhibit
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.runs import Run

_STATES = ("decided",) * 7 + ("in_review",) * 2 + ("proposed", "waiting")
_KINDS = ("approved", "approved", "approved_with_conditions", "approved_with_conditions", "returned_for_rework")
_STANDINGS = ("within", "within", "near", "outside", "unsettled", None)
_EXHIBITS = 20
_WORDS = ("visits", "alarms", "pumps", "turnout", "stations", "rounds", "callers", "hydrants", "shifts", "stores")
_COPIED = ("tier", "outcome", "submission", "package_sha256", "table_fingerprint", "n_rows", "roles", "plan")


def fill(
    session: Session, like: int, *, models: int = 200, versions: int = 5, findings: int = 3, seed: int = 1
) -> None:
    """Enters ``models`` × ``versions`` cases, each with ``findings`` findings once it is under review.

    Parameters
    ----------
    like
        The number of the case that all are like.
    """
    chance = random.Random(seed)
    people = {one.login: one.id for one in session.scalars(select(Person))}
    same = session.get_one(Case, like)
    for number in range(models):
        name = f"{chance.choice(_WORDS).title()} by {chance.choice(_WORDS)} {number + 1}"
        model = RegisteredModel(key=f"full-{number + 1}", name=name, owner_id=people["nell"], members=[], created=now())
        session.add(model)
        session.flush()
        for version in range(versions):
            state = "decided" if version < versions - 1 else chance.choice(_STATES)
            case = Case(
                model_id=model.id, model=name, version=f"{version + 1}.0", state=state, owner_id=people["nell"],
                reviewer_id=None if state == "waiting" else people["iris"],
                reviewed_by=[] if state == "waiting" else [people["iris"]],
                countersigner_id=people["tom"] if state == "decided" else None,
                roles_revision=1, plan_revision=1, created=now() - timedelta(days=900 - 150 * version),
                **{field: getattr(same, field) for field in _COPIED},
            )  # fmt: skip
            session.add(case)
            session.flush()
            if state != "waiting":
                _reviewed(session, chance, case, people, findings)
            if state == "decided":
                _decided(session, chance, case, people)


def _reviewed(session: Session, chance: random.Random, case: Case, people: dict[str, int], findings: int) -> None:
    run = Run(case_id=case.id, state="done", by_id=people["iris"], started=case.created, finished=case.created)
    session.add(run)
    session.flush()
    for number in range(1, _EXHIBITS + 1):
        session.add(
            StoredExhibit(
                case_id=case.id, run_id=run.id, number=number, name="holdout", title="Holdout",
                question=1 + number % 7, state="done", standing=chance.choice(_STANDINGS), open=0,
                answer="AUC 0.81 (0.78 to 0.84) on 420 test rows.", charts=[], tables=[], provenance={},
                created=case.created,
            )
        )  # fmt: skip
    for number in range(1, findings + 1):
        session.add(
            Finding(
                case_id=case.id, number=number, severity=chance.randint(1, 4),
                title=f"It leans in {chance.choice(_WORDS)}", what="The exhibit says so.", why="", action="",
                action_owner="", cites=[], state=chance.choice(FINDING_STATES), author_id=people["iris"], revision=1,
                created=case.created,
            )
        )  # fmt: skip


def _decided(session: Session, chance: random.Random, case: Case, people: dict[str, int]) -> None:
    kind = chance.choice(_KINDS)
    signed = case.created + timedelta(days=60)
    dues = [signed.date() + timedelta(days=chance.randint(30, 300)) for _ in range(2)] if "with" in kind else []
    decision = Decision(
        case_id=case.id, kind=kind, reasons="It does what it is for.", state="accepted", comment="",
        conditions=[{"what": "Collect more rows.", "due": due.isoformat()} for due in dues],
        proposed_by=people["iris"], proposed=signed, answered_by=people["tom"], answered=signed,
    )  # fmt: skip
    session.add(decision)
    session.flush()
    if kind.startswith("approved"):
        conditions = [
            ApprovalCondition(
                number=number, what="Collect more rows.", due=due, state=chance.choice(CONDITION_STATES), revision=1
            )
            for number, due in enumerate(dues, 1)
        ]
        until: date = years_after(signed.date(), 2)
        session.add(
            Approval(decision_id=decision.id, case_id=case.id, signed=signed.date(), until=until, conditions=conditions)
        )
