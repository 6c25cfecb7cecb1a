"""What each exhibit of a case would be of, as case and plan are now: equal content, equal exhibit."""

from collections.abc import Mapping, Sequence
from functools import lru_cache

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from brookfall.core.check.check import Check
from brookfall.core.check.program import program_digest
from brookfall.core.check.reads import content_key
from brookfall.core.check.registry import checks as all_checks
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation import digest
from brookfall.core.foundation.environment import versions
from brookfall.core.plan.revisions import read_plan
from brookfall.core.retest.run import Asked
from brookfall.records.cases import Case
from brookfall.records.exhibits import LARGE, get_exhibits
from brookfall.records.findings_and_decisions import StoredExhibit
from brookfall.records.recent import last_few
from brookfall.records.runs import Run, RunCheck

MADE_BY = (StoredExhibit.provenance["program"], StoredExhibit.provenance["sources"])
"""Of an exhibit's provenance what says by which program it was made."""


def contents_of(case: Case, checks: Sequence[str] | None = None) -> dict[str, str]:
    """The content of every check of the case's plan, or of these, by name."""
    rest: dict[str, object] = {
        "package": case.package_sha256,
        "table": case.table_fingerprint,
        "changes": case.changes,
        "versions": versions(),
    }
    named = None if checks is None else tuple(checks)
    key = digest.of_json([rest, case.plan, case.roles, case.added, case.label_marks, named, sorted(all_checks())])
    return dict(_contents(key, case, rest, named))


@last_few(64)
def _contents(_key: str, case: Case, rest: dict[str, object], checks: tuple[str, ...] | None) -> dict[str, str]:
    plan = read_plan(case.plan)

    def content(check: Check) -> str:
        beside = {**rest, **({"added": case.added} if "new_rows" in check.reads.subject else {})}
        # Without a word of labels all is as it was before there were marks.
        marked = {**beside, "marks": case.label_marks} if check.reads.marks and case.label_marks else beside
        return content_key(check, plan, case.roles, marked)

    known = (name for name in (plan.checks if checks is None else checks) if name in all_checks())
    return {name: content(all_checks()[name]) for name in known}


def layout_key(case: Case) -> str:
    """Names how a case's rows are laid out and by what they are scored: table, roles, plan, program."""
    return digest.of_json([case.package_sha256, case.table_fingerprint, case.roles, case.plan, versions()])


def kept_exhibits(session: Session, case: Case, contents: Mapping[str, str]) -> dict[str, StoredExhibit]:
    """The newest exhibit there is of each of these contents, by check; of any run of the case."""
    query = (
        select(RunCheck.name, RunCheck.content, StoredExhibit, *MADE_BY)
        .options(*map(defer, LARGE))
        .join(StoredExhibit, (StoredExhibit.run_id == RunCheck.run_id) & (StoredExhibit.name == RunCheck.name))
        .where(StoredExhibit.case_id == case.id, StoredExhibit.state.in_(("done", "not_applicable")))
        .order_by(StoredExhibit.id)
    )
    return {
        name: head
        for name, content, head, program, sources in session.execute(query)
        if content and contents.get(name) == content and is_of_this_program(program, sources)
    }


def is_of_this_program(program: str | None, sources: Sequence[str] | None) -> bool:
    """Whether an exhibit was made by sources that say the same as those of this program."""
    return bool(program) and _program(tuple(sources or ())) == program


@lru_cache(maxsize=4096)
def _program(sources: tuple[str, ...]) -> str:
    """The digest of these sources in this program, which stays the same while a process lasts."""
    return program_digest(sources)


def changed_checks(session: Session, case: Case, asked: Sequence[Asked]) -> tuple[Asked, ...]:
    """Of what a plan asks, the checks that no exhibit of the case answers as plan and case are now."""
    kept = kept_exhibits(session, case, contents_of(case))
    return tuple(one for one in asked if one.check.name not in kept)


def stale_checks(session: Session, case: Case, run: Run) -> set[str]:
    """The checks of a run whose exhibits are not of the case, the plan and the program as they are now.

    Only while the case is in review: what was proposed or signed stands as it is, whatever program reads it later.
    """
    if case.state != "in_review":
        return set()
    contents = contents_of(case)
    query = select(RunCheck.name, RunCheck.content).where(RunCheck.run_id == run.id)
    # Exhibits from before contents were kept stand as they are.
    changed = {name for name, content in session.execute(query) if content and contents.get(name) != content}
    made = session.execute(select(StoredExhibit.name, *MADE_BY).where(StoredExhibit.run_id == run.id))
    return changed | {name for name, program, sources in made if program and not is_of_this_program(program, sources)}


def exhibits_now(
    session: Session, case: Case, run: Run | None, number: int | None = None, check: str | None = None
) -> list[Exhibit]:
    """The exhibits of a run, or that of a number or a check; marked stale where of another plan than the present."""
    if run is None:
        return []
    stale = stale_checks(session, case, run)
    return [
        exhibit.model_copy(update={"state": "stale"}) if exhibit.check in stale and exhibit.state == "done" else exhibit
        for exhibit in get_exhibits(session, run.id, number, check)
    ]
