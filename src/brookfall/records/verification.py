"""Verification: from the record's entries to all that they vouch for, down to the stored bytes."""

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.judge.house_policy import HousePolicy, house_from_yaml
from brookfall.records import anchors, audit_log, blobs
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.config import config
from brookfall.records.erasures import AGREED, PROPOSED
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.policies import signed_versions

_SIGNING = ("proposed a decision", "countersigned")
_NO_PAGES = ("statement", "ordered")
_KEEPING = ("rendered the report", "kept the signed report")


@dataclass(frozen=True)
class Verified:
    """What was looked at, and the first ``fault``, None when all holds.

    ``bytes_checked`` is what was read of the database and hashed; ``signed_from`` the first entry that is signed;
    ``erased`` how many submitted files are gone by the word of two people, which the record has.
    """

    entries: int
    head: str
    signed_from: int | None
    anchors: int
    statements: int
    bytes_checked: int
    erased: int
    fault: str | None


def verify_everything(
    session: Session, *, files: bool = True, tell: Callable[[str], None] = lambda _: None
) -> Verified:
    """Walks the chain, its signatures and anchors, and from it to every statement, report, evidence file and package.

    Parameters
    ----------
    files
        Whether the submitted files are read too; without them what was signed alone.
    tell
        Hears what is being looked at.
    """
    tell("the chain of entries")
    chain = audit_log.verify(session)
    counted = _Counted()
    outside = 0
    fault = chain.fault
    if fault is None and config().anchor_file is not None:
        fault, outside = _anchored(session, chain)
    for look in (_agreed, _signed, _policies, _kept, *([_files] if files else [])):
        if fault is None:
            tell(look.__doc__ or "")
            fault = next(look(session, counted), None)
    return Verified(
        chain.entries,
        chain.head,
        chain.signed_from,
        outside,
        counted.statements,
        counted.size,
        counted.erased,
        fault,
    )


@dataclass
class _Counted:
    """What was looked at so far; ``named`` is what entries of the record say was taken away."""

    statements: int = 0
    size: int = 0
    erased: int = 0
    named: set[str] = field(default_factory=set)


def _anchored(session: Session, chain: audit_log.ChainCheck) -> tuple[str | None, int]:
    file = config().anchor_file
    assert file is not None
    try:
        found = anchors.read_anchors(file)
    except ValueError as problem:
        return f"the anchors in {file} can't be read: {problem}", 0
    return anchors.fault_of(session, found, chain), len(found)


def _whole(session: Session, name: str, what: str, counted: _Counted) -> Iterator[str]:
    size = blobs.size_if_whole(session, name)
    if size is None and name in counted.named and blobs.is_erased(session, name):
        counted.erased += 1
    elif size is None:
        yield f"{what} is missing or was changed: {name}"
    else:
        counted.size += size


def _agreed(session: Session, counted: _Counted) -> Iterator[str]:
    """what was taken away after its term"""
    entries = select(RecordEntry).where(RecordEntry.act.in_((PROPOSED, AGREED))).order_by(RecordEntry.id)
    proposed: dict[int, int | None] = {}
    for entry in session.scalars(entries):
        after = json.loads(entry.after)
        if entry.act == PROPOSED:
            proposed[after["erasure"]] = entry.person_id
        elif proposed.get(after["erasure"], entry.person_id) == entry.person_id:
            yield f"entry {entry.id} agrees to rows being taken away, and nobody else proposed it"
        else:
            counted.named |= {*after["files"].values(), *after["columns"]}


def _signed(session: Session, counted: _Counted) -> Iterator[str]:
    """the statements that were signed, and what they name"""
    entered: dict[str, set[str]] = {}
    entries = select(RecordEntry).where(RecordEntry.act.in_(_SIGNING)).order_by(RecordEntry.id)
    for entry in session.scalars(entries):
        name = json.loads(entry.after).get("statement")
        if name is not None:
            entered.setdefault(name, set()).add(entry.act)
    decisions = session.scalars(select(Decision).order_by(Decision.id))
    of_statement = {one.statement_sha256: one for one in decisions if one.statement_sha256 is not None}
    for name, acts in entered.items():
        decision = of_statement.pop(name, None)
        if decision is None:
            yield f"the decision with the statement {name} is gone"
            return
        yield from _whole(session, name, f"the statement of decision {decision.id}", counted)
        yield from _as_signed(session, decision, acts, counted)
        counted.statements += 1
    for decision in of_statement.values():
        yield f"decision {decision.id} has a statement that nobody entered in the record"
    signed = select(Decision).where(Decision.state == "accepted", Decision.statement_sha256.is_not(None))
    for decision in session.scalars(signed):
        if "countersigned" not in entered.get(str(decision.statement_sha256), set()):
            yield f"decision {decision.id} stands as countersigned, and no entry says so"


def _as_signed(session: Session, decision: Decision, acts: set[str], counted: _Counted) -> Iterator[str]:
    """Whether a decision says what its statement says, and all that the statement names is there."""
    try:
        statement = DecisionStatement.model_validate_json(blobs.from_database(session, str(decision.statement_sha256)))
    except ValidationError:
        yield f"the statement of decision {decision.id} can't be read"
        return
    conditions = [condition.model_dump(mode="json") for condition in statement.conditions]
    if (decision.kind, decision.reasons, list(decision.conditions)) != (statement.kind, statement.reasons, conditions):
        yield f"decision {decision.id} does not say what was signed"
    if decision.state == "proposed" and "countersigned" in acts:
        yield f"decision {decision.id} stands as proposed, and was countersigned"
    case = session.get_one(Case, decision.case_id)
    if case.package_sha256 != statement.package:
        yield f"case {case.id} has another package than the one that decision {decision.id} was signed on"
    for name, what in (
        (statement.evidence, "the evidence file"),
        (statement.findings, "the text of the findings"),
        (statement.case, "the text of the case's facts"),
    ):
        yield from _whole(session, name, f"{what} of decision {decision.id}", counted)
    yield from _as_listed(session, statement, case)


def _policies(session: Session, counted: _Counted) -> Iterator[str]:
    """the policies that were signed"""
    entered: dict[int, dict[str, object]] = {}
    entries = select(RecordEntry).where(RecordEntry.act == "countersigned a policy").order_by(RecordEntry.id)
    for entry in session.scalars(entries):
        after = json.loads(entry.after)
        entered[after["policy"]] = after
        yield from _whole(session, after["text"], f"the text of policy {after['number']}", counted)
    signed = {one.id: one for one in signed_versions(session)}
    for policy_id in entered.keys() - signed.keys():
        yield f"the policy of number {entered[policy_id]['number']} was countersigned and is gone"
    for version in signed.values():
        after = entered.get(version.id, {})
        from_ = None if version.in_force_from is None else version.in_force_from.isoformat()
        if (version.text_sha256, version.number, from_) != (
            after.get("text"), after.get("number"), after.get("in_force_from")
        ):  # fmt: skip
            yield f"the policy {version.name} does not say what was signed"
        elif house_from_yaml(blobs.from_database(session, str(version.text_sha256)).decode(), version.name) != (
            HousePolicy.model_validate(version.content)
        ):
            yield f"what is judged by is not the text of the policy {version.name} as it was signed"


def _kept(session: Session, counted: _Counted) -> Iterator[str]:
    """the reports that were rendered"""
    for entry in session.scalars(select(RecordEntry).where(RecordEntry.act.in_(_KEEPING)).order_by(RecordEntry.id)):
        for form, name in sorted(json.loads(entry.after).items()):
            if form not in _NO_PAGES:
                yield from _whole(session, name, f"the {form} of the report in entry {entry.id}", counted)


def _as_listed(session: Session, statement: DecisionStatement, case: Case) -> Iterator[str]:
    """Whether the files of a case are those that its signed facts list."""
    listed = {one["path"]: one["sha256"] for one in json.loads(blobs.from_database(session, statement.case))["files"]}
    rows = session.execute(select(SubmittedFile.path, SubmittedFile.sha256).where(SubmittedFile.case_id == case.id))
    for path, name in rows:
        if listed.pop(path, None) != name:
            yield f"{path} of case {case.id} is not the one that was submitted"
    for path in listed:
        yield f"{path} of case {case.id} is gone"


def _files(session: Session, counted: _Counted) -> Iterator[str]:
    """the files that were submitted"""
    for case_id, path, name in session.execute(
        select(SubmittedFile.case_id, SubmittedFile.path, SubmittedFile.sha256).order_by(SubmittedFile.id)
    ).all():
        yield from _whole(session, name, f"{path} of case {case_id}", counted)
