"""What can be taken along of a case: the package as it was sent, each of its files, the evidence bundle with all."""

from collections.abc import Iterator

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from brookfall.core.evidence.record_line import ANNOUNCED, RecordLine
from brookfall.core.foundation.errors import MissingError
from brookfall.core.plan.revisions import read_plan
from brookfall.core.plan.yaml_file import plan_to_yaml
from brookfall.core.retest import bundle as core
from brookfall.desk import people
from brookfall.desk.renditions import frozen_decision, readable, signed_decision
from brookfall.desk.report_contents import evidence_now, statement_of
from brookfall.desk.rows_behind import file_name
from brookfall.records import blobs
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.people import Person


def evidence_bundle(session: Session, person: Person, case_id: int) -> tuple[str, bytes]:
    """The name and the bytes of the zip: what was submitted, the plan, the evidence, what was signed, the record."""
    case = people.case_for(session, person, case_id)
    missing = ("the submitted files, which were taken away after their term",) if case.rows_taken else ()
    files = dict(_files(session, case))
    data = core.bundle_of(files, case.model, case.version, case.package_sha256, missing)
    return file_name(case, "evidence bundle", "zip"), data


def submitted_file(session: Session, person: Person, case_id: int, path: str) -> tuple[str, bytes]:
    """A file of the package as it was sent: its name without folders, and its bytes.

    MissingError where there is none of that path, or where it was taken away after its term.
    """
    case = people.case_for(session, person, case_id)
    of_case = select(SubmittedFile).where(SubmittedFile.case_id == case.id, SubmittedFile.path == path)
    found = session.scalar(of_case)
    if found is None:
        raise MissingError("The package has no such file.", todo="Choose one of the Brief's list.", file=path)
    if blobs.is_erased(session, found.sha256):
        refuse_without_rows(case)
    return path.rsplit("/", 1)[-1], blobs.get(session, found.sha256)


def submitted_package(session: Session, person: Person, case_id: int) -> tuple[str, bytes]:
    """The package as a zip of the files as they were sent, which has the hash that the case names.

    MissingError where files were taken away after their term.
    """
    case = people.case_for(session, person, case_id)
    refuse_without_rows(case)
    files = session.scalars(select(SubmittedFile).where(SubmittedFile.case_id == case.id))
    data = core.zip_of({file.path: blobs.get(session, file.sha256) for file in files})
    return file_name(case, "package", "zip"), data


def _files(session: Session, case: Case) -> Iterator[tuple[str, bytes]]:
    yield core.PLAN, plan_to_yaml(read_plan(case.plan)).encode()
    decision = frozen_decision(session, case)
    statement = statement_of(session, decision) if decision else None
    if decision is None or statement is None:
        yield core.EVIDENCE, evidence_now(session, case).to_json().encode()
    else:
        yield core.DECISION, blobs.get(session, str(decision.statement_sha256))
        yield core.EVIDENCE, blobs.get(session, statement.evidence)
        yield core.FINDINGS, blobs.get(session, statement.findings)
        yield core.CASE, blobs.get(session, statement.case)
    for form in ("html", "pdf"):
        pages = (getattr(one, f"{form}_sha256") for one in readable(session, case, signed_decision(session, case)))
        name = next((page for page in pages if page), None)
        if name is not None:
            yield {"html": core.HTML, "pdf": core.PDF}[form], blobs.get(session, name)
    if case.rows_taken is None:
        for file in session.scalars(select(SubmittedFile).where(SubmittedFile.case_id == case.id)):
            yield f"{core.PACKAGE}{file.path}", blobs.get(session, file.sha256)
    wanted = or_(RecordEntry.case_id == case.id, RecordEntry.act == ANNOUNCED)
    entries = session.scalars(select(RecordEntry).where(wanted).order_by(RecordEntry.id))
    lines = [RecordLine.model_validate(entry).model_dump_json() for entry in entries]
    yield core.RECORD, "".join(f"{line}\n" for line in lines).encode()
