"""Retests: the exhibits that a finding cites, run again on the version that is said to mend it, under its own plan."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from brookfall.core.check.bench import Bench
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.judge.finding_life import LIFE
from brookfall.core.plan.revisions import read_plan
from brookfall.core.retest.before_and_after import RetestResult
from brookfall.core.submission.schema import Submission
from brookfall.core.submission.subject import Submitted, subject_from
from brookfall.core.table.carried_roles import carried_roles
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.desk import people
from brookfall.desk.bench import added_to, changes_of, submitted
from brookfall.desk.docket import latest_run
from brookfall.desk.finding_life import changeable
from brookfall.desk.views import RetestView
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.contents import stale_checks
from brookfall.records.database import transaction
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.exhibits import heads_of
from brookfall.records.findings_and_decisions import Finding, FindingEntry
from brookfall.records.people import Person
from brookfall.records.retests import Retest
from brookfall.records.runs import Run
from brookfall.records.tables import column_names, get_table, table_names

GOES_ON = ("waiting", "leased")


class Retesters(Protocol):
    """Hands a retest to a worker; a lost message costs seconds."""

    def retest(self, retest_id: int) -> None: ...


def ask_retest(
    person_id: int, case_id: int, finding_id: int, revision: int, version: str | None, queue: Retesters
) -> None:
    """Enters a retest of a finding as :func:`enter_retest` does, and wakes a worker."""
    with transaction() as session:
        person = people.person_of(session, person_id)
        retest_id = enter_retest(session, person, case_id, finding_id, revision, version).id
    queue.retest(retest_id)


def enter_retest(
    session: Session, person: Person, case_id: int, finding_id: int, revision: int, version: str | None
) -> Retest:
    """A retest of a finding that waits for a worker; without a ``version`` on the one its owner said mends it.

    Raises
    ------
    ForbiddenError
        The person does not review the case, or the finding is closed, accepted, withdrawn or a draft.
    StaleError
        Somebody did something about the finding since ``revision``.
    UserError
        There is no such version, it cites no exhibit, none of them is there or one is of another plan, or a run or a
        retest goes on.
    """
    case = people.case_for(session, person, case_id, lock=True)
    finding = changeable(session, person, case, finding_id, "retest", revision)
    refuse_without_rows(case)
    if _going_on(session, finding.id) is not None:
        raise UserError("A retest of this finding is going on.", todo="Wait for it or cancel it.")
    run = latest_run(session, case.id)
    if run is None or run.state == "running":
        raise UserError("A run is going on." if run else "Nothing was run.", todo="Retest when the run has ended.")
    on = _version_to_test(session, case, finding, version)
    cited = [cite["exhibit"] for cite in finding.cites if "exhibit" in cite]
    checks = {str(head.number): head.name for head in heads_of(session, run.id) if head.number in cited}
    if not checks:
        raise UserError("The finding cites no exhibit that is there.", todo="Cite what shows it, then retest.")
    _refuse_another_plan(session, case, run, checks)
    asked = Retest(
        case_id=case.id, finding_id=finding.id, run_id=run.id, on_case_id=on.id, checks=checks, by_id=person.id,
        asked=now(), state="waiting", attempts=0, done=0, needed=0, said="",
    )  # fmt: skip
    session.add(asked)
    audit_log.append(
        session, person, "asked for a retest", f"{finding.number}: {finding.title}", case_id=case.id,
        after={"version": on.version, "exhibits": sorted(int(number) for number in checks)},
    )  # fmt: skip
    session.flush()
    return asked


def _refuse_another_plan(session: Session, case: Case, run: Run, checks: Mapping[str, str]) -> None:
    """UserError where the plan is no longer the one under which the cited exhibits stand."""
    if case.deviating:
        raise UserError("A deviation is open: the plan may be another by now.", todo="Run what changed, then retest.")
    stale = stale_checks(session, case, run)
    gone = [number for number, name in checks.items() if name in stale]
    if gone:
        raise UserError(
            f"Exhibit {wording.listed(gone)} is of another plan, data or program than the present.",
            todo="Run what changed, then retest.",
        )


def cancel_retest(session: Session, person: Person, case_id: int, finding_id: int) -> None:
    """Ends the retest of a finding that goes on; UserError where none does."""
    case = people.case_for(session, person, case_id, lock=True)
    finding = session.get(Finding, finding_id)
    if finding is None or finding.case_id != case.id:
        raise MissingError("There is no such finding in this case.", todo="Go back to the findings.")
    changeable(session, person, case, finding_id, "retest", finding.revision)
    asked = _going_on(session, finding.id)
    if asked is None:
        raise UserError("No retest of this finding is going on.", todo="There is nothing to cancel.")
    asked.state, asked.finished, asked.lease_until = "cancelled", now(), None
    audit_log.append(
        session, person, "cancelled a retest", f"{finding.number}: {finding.title}", case_id=case.id,
        after={"version": asked.on_case.version},
    )  # fmt: skip
    session.flush()


def settle(session: Session, asked: Retest, result: RetestResult, evidence: bytes) -> None:
    """Keeps what came of a retest that has ended: beside the finding, and in the record. A finding that was closed
    meanwhile stays closed."""
    asked.said = result.words
    asked.result = result.model_dump(mode="json", by_alias=True)
    asked.evidence_sha256 = blobs.put(session, evidence)
    case = session.get_one(Case, asked.case_id)
    finding = session.get_one(Finding, asked.finding_id, with_for_update=True)
    before, step = finding.state, LIFE["retest"]
    if finding.state in step.of and case.state in step.cases:
        finding.state = LIFE.after("retest", finding.state)
    finding.revision += 1
    entry = FindingEntry(
        at=now(), person_id=asked.by_id, act="retest", text=result.words, version=asked.on_case.version
    )
    finding.entries.append(entry)
    session.flush()
    asked.entry_id = entry.id
    audit_log.append(
        session, asked.by, "retested a finding", f"{finding.number}: {finding.title}", case_id=case.id,
        before={"state": before},
        after={
            "state": finding.state, "version": asked.on_case.version, "text": result.words,
            "evidence": asked.evidence_sha256,
        },
    )  # fmt: skip


def retests_of(session: Session, finding_ids: Iterable[int]) -> dict[int, list[Retest]]:
    """The retests of findings, by finding, oldest first."""
    found: dict[int, list[Retest]] = {}
    query = select(Retest).where(Retest.finding_id.in_(list(finding_ids))).order_by(Retest.id)
    for one in session.scalars(query.options(joinedload(Retest.on_case), joinedload(Retest.by))):
        found.setdefault(one.finding_id, []).append(one)
    return found


def retest_view(asked: Retest) -> RetestView:
    return RetestView(
        id=asked.id,
        version=asked.on_case.version,
        on_case_id=asked.on_case_id,
        state=asked.state,
        done=asked.done,
        needed=asked.needed,
        said=asked.said,
        by=asked.by.name,
        asked=asked.asked,
        result=None if asked.result is None else RetestResult.model_validate(asked.result),
    )


def evidence_file(session: Session, person: Person, case_id: int, retest_id: int) -> tuple[str, bytes]:
    """The evidence of a retest, from which the command line computes it again: its name and its bytes."""
    people.case_for(session, person, case_id)
    asked = session.get(Retest, retest_id)
    if asked is None or asked.case_id != case_id or asked.evidence_sha256 is None:
        raise MissingError("There is no such retest in this case.", todo="Go back to the findings.")
    return f"retest-{asked.id}-evidence.json", blobs.get(session, asked.evidence_sha256)


def other_versions(session: Session, case: Case) -> list[Case]:
    """The newest case of every other version of the model that has its rows, the last sent first."""
    others = select(Case).where(Case.model_id == case.model_id, Case.version != case.version, Case.state != "withdrawn")
    found: dict[str, Case] = {}
    for one in session.scalars(others.where(Case.rows_taken.is_(None)).order_by(Case.id.desc())):
        found.setdefault(one.version, one)
    return list(found.values())


def _version_to_test(session: Session, case: Case, finding: Finding, version: str | None) -> Case:
    said = [entry.version for entry in finding.entries if entry.answer == "mended"]
    wanted = version or next(reversed(said), None)
    if wanted is None:
        raise UserError("It is not said which version mends it.", todo="Choose the version to retest it on.")
    for one in other_versions(session, case):
        if one.version == wanted:
            return one
    raise UserError(
        f"{case.model} {wanted} was not submitted.",
        todo="Retest when its owner has sent it, or choose another.",
    )


def _going_on(session: Session, finding_id: int) -> Retest | None:
    query = select(Retest).where(Retest.finding_id == finding_id, Retest.state.in_(GOES_ON))
    return session.scalars(query.with_for_update()).first()


@dataclass(frozen=True)
class TestedVersion:
    """A version on the bench of another's plan: with the data, roles and changes that it was laid out with."""

    bench: Bench
    changes: tuple[Change, ...]
    added: bool


def other_version_on_bench(session: Session, case: Case, on: Case, checks: Sequence[str]) -> TestedVersion:
    """The version of another case under the plan of this one: its rows and its recipe, the reviewer's roles, changes
    and tables beside, each as far as they fit; else as its owner declares them.

    UserError where not even that can be carried out.
    """
    plan = read_plan(case.plan).model_copy(update={"checks": tuple(checks)})
    problem: UserError | None = None
    for came, roles, changes, added in _ways(session, case, on):
        try:
            bench = Bench(subject_from(came, roles, changes), plan)
            bench.split.parts  # noqa: B018 - laid out when it is asked for, and the parts may not fit these rows
        except UserError as caught:
            problem = problem or caught
            continue
        return TestedVersion(bench, tuple(changes), added)
    raise problem or UserError("Nothing of it could be laid out.", todo="Look at its Data screen.")


def _ways(session: Session, case: Case, on: Case) -> Iterator[tuple[Submitted, Roles, Sequence[Change], bool]]:
    """How the other version may be laid out, from all that the reviewer did to nothing of it."""
    came, given = submitted(session, on), Roles.model_validate(case.roles)
    declared = tuple(Submission.model_validate(one.submission).data[0].roles for one in (case, on))
    sent, now_there = (column_names(session, case.id, version=version) for version in (1, case.table_version))
    plain = carried_roles(given, (declared[0], declared[1]), (sent, came.table.names))
    changes = changes_of(case)
    made = [name for name in now_there if name not in sent]
    full = carried_roles(given, (declared[0], declared[1]), (now_there, (*came.table.names, *made)))
    if case.added:
        yield _with_added(session, came, case), full, changes, True
    yield came, full, changes, False
    if changes:
        yield came, plain, (), False
    yield came, declared[1], (), False


def _with_added(session: Session, came: Submitted, case: Case) -> Submitted:
    """The submitted tables with those that the reviewer put beside the rows of the case."""
    declared = came.declared.model_copy(update={"data": (*came.declared.data, *added_to(case))})
    own = {entry.name for entry in added_to(case)}
    beside = {name: get_table(session, case.id, name=name) for name in table_names(session, case.id) if name in own}
    return Submitted(declared, came.table, {**came.beside, **beside}, came.files, came.artifact)
