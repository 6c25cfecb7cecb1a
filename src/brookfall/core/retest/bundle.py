"""The evidence bundle: all of a case in one zip, and whether it is whole, told without any server."""

import io
import json
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, ValidationError

from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.evidence.record_line import RecordLine, Trusted
from brookfall.core.foundation.digest import sha256
from brookfall.core.retest.evidence_file import Evidence, read_evidence
from brookfall.core.submission.files import package_hash

MANIFEST, READ_ME, EVIDENCE, PLAN, RECORD = "bundle.json", "README.txt", "evidence.json", "plan.yaml", "record.jsonl"
DECISION, FINDINGS, CASE = "decision.json", "findings.json", "case.json"
HTML, PDF = "report.html", "report.pdf"
PACKAGE = "package/"
"""What was submitted stands below this, as it was sent."""

_SIGNED_BY = ("proposed a decision", "countersigned")
_LONG_AGO = (1980, 1, 1, 0, 0, 0)
"""The moment that every file of the zip bears: equal content, equal bundle."""

_TEXT = f"""\
This is the evidence of one case, as Brookfall keeps it.

{PACKAGE:<15} what was submitted, file by file
{PLAN:<15} the plan that was run
{EVIDENCE:<15} every exhibit with its figures, seeds, rows and fits
{DECISION:<15} the very text that was signed, where a decision was proposed; it names by SHA-256 what follows
{FINDINGS:<15} the findings as they were then
{CASE:<15} the case's own facts as they were then
{HTML:<15} the report, where its pages were made ({PDF} too)
{RECORD:<15} the case's entries of the record, an entry a line, with the hash and the signature of each
{MANIFEST:<15} the SHA-256 of every file here

To check it, without any server:

  brookfall verify THIS.zip
  unzip THIS.zip -d bundle && brookfall replay bundle/{EVIDENCE} bundle/{PACKAGE.rstrip("/")}

The first says whether all is as it was signed, and by which keys: compare their names with those that the house has
published. The second fits everything again and compares the figures bit for bit.
"""


class Manifest(BaseModel):
    """``files`` gives the SHA-256 of each by path; ``missing`` says of what is not here why not."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    brookfall_bundle: int = 1
    model: str
    version: str
    package_sha256: str
    files: dict[str, str]
    missing: tuple[str, ...] = ()


@dataclass(frozen=True)
class BundleCheck:
    """What was looked at, a line each, and the first ``fault``, None where all holds."""

    lines: tuple[str, ...]
    fault: str | None


class _AmissError(Exception):
    """Something does not hold."""


def bundle_of(files: Mapping[str, bytes], model: str, version: str, package: str, missing: tuple[str, ...]) -> bytes:
    """The zip of a bundle's files, with a word of what they are and a list of their hashes; equal files, equal bytes.

    Parameters
    ----------
    files
        By path all that belongs into it.
    model, version, package
        What it is about; ``package`` is the hash of what was submitted.
    missing
        Of what is not there a line each, saying why.

    Returns
    -------
    bytes
        The zip.

    Examples
    --------
    >>> one = bundle_of({"plan.yaml": b"seed: 1"}, "M", "1", "0" * 64, ())
    >>> one == bundle_of({"plan.yaml": b"seed: 1"}, "M", "1", "0" * 64, ())
    True
    """
    whole = {READ_ME: _TEXT.encode(), **files}
    manifest = Manifest(
        model=model,
        version=version,
        package_sha256=package,
        files={path: sha256(data) for path, data in sorted(whole.items())},
        missing=missing,
    )
    whole[MANIFEST] = manifest.model_dump_json(indent=1).encode()
    return zip_of(whole)


def zip_of(files: Mapping[str, bytes]) -> bytes:
    """A zip of files by path; equal files, equal bytes.

    >>> zip_of({"b": b"2", "a": b"1"}) == zip_of({"a": b"1", "b": b"2"})
    True
    """
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in sorted(files.items()):
            entry = zipfile.ZipInfo(path, _LONG_AGO)
            entry.compress_type, entry.external_attr = zipfile.ZIP_DEFLATED, 0o644 << 16
            archive.writestr(entry, data)
    return held.getvalue()


def check_bundle(files: Mapping[str, bytes]) -> BundleCheck:
    """Whether a bundle's files are whole, belong together, and are what was signed.

    Parameters
    ----------
    files
        The unpacked files by path.

    Returns
    -------
    BundleCheck
        What was looked at until the first fault, if there is one.

    Examples
    --------
    >>> check_bundle({}).fault
    "this is no evidence bundle: its list of files can't be read"
    """
    lines: list[str] = []
    try:
        lines.extend(_looked_at(files))
    except _AmissError as problem:
        return BundleCheck(tuple(lines), str(problem))
    return BundleCheck(tuple(lines), None)


def _looked_at(files: Mapping[str, bytes]) -> Iterator[str]:
    manifest = _manifest(files)
    yield f"{manifest.model} {manifest.version}: {len(manifest.files)} files have the hashes that the bundle lists."
    evidence = _package_and_evidence(files, manifest)
    yield from (f"Not here: {line}." for line in manifest.missing)
    said = "was not taken along" if manifest.missing else "is the one that the evidence is about"
    yield f"The package {said}; the evidence has {len(evidence.exhibits)} exhibits."
    entries = _entries(files)
    trusted = _signatures(entries)
    yield f"All {len(entries)} entries of the record are as they were written."
    for key in trusted.keys:
        yield f"They are signed by the key {key}."
    if DECISION not in files:
        yield "No decision was proposed."
        return
    statement = _decision(files, evidence)
    acts = _acts_on(entries, sha256(files[DECISION]))
    if _SIGNED_BY[0] not in acts:
        raise _AmissError("no entry of the record says that this decision was proposed")
    yield f"{statement.proposed_by} proposed the decision ({statement.kind.replace('_', ' ')}), as the record says."
    by = acts.get(_SIGNED_BY[1])
    yield f"{by} countersigned it, as the record says." if by else "Nobody has countersigned it."


def _manifest(files: Mapping[str, bytes]) -> Manifest:
    try:
        manifest = Manifest.model_validate_json(files[MANIFEST])
    except (KeyError, ValidationError):
        raise _AmissError("this is no evidence bundle: its list of files can't be read") from None
    for path, told in manifest.files.items():
        if path not in files:
            raise _AmissError(f"{path} is gone")
        if sha256(files[path]) != told:
            raise _AmissError(f"{path} was changed")
    if more := sorted(set(files) - set(manifest.files) - {MANIFEST}):
        raise _AmissError(f"{more[0]} is not in the bundle's list")
    return manifest


def _package_and_evidence(files: Mapping[str, bytes], manifest: Manifest) -> Evidence:
    try:
        evidence = read_evidence(files[EVIDENCE].decode())
    except (KeyError, ValueError):
        raise _AmissError(f"{EVIDENCE} can't be read") from None
    if evidence.package.sha256 != manifest.package_sha256:
        raise _AmissError("the evidence is about another package than the bundle says")
    sent = {path.removeprefix(PACKAGE): data for path, data in files.items() if path.startswith(PACKAGE)}
    if not manifest.missing and package_hash(sent) != manifest.package_sha256:
        raise _AmissError("the package is not the one that the evidence is about")
    return evidence


def _entries(files: Mapping[str, bytes]) -> list[RecordLine]:
    try:
        return [RecordLine.model_validate_json(line) for line in files[RECORD].decode().splitlines()]
    except (KeyError, ValueError):
        raise _AmissError(f"{RECORD} can't be read") from None


def _signatures(entries: list[RecordLine]) -> Trusted:
    trusted, before = Trusted(), 0
    for entry in entries:
        if entry.id <= before:
            raise _AmissError(f"entry {entry.id} of the record is out of its order")
        if entry.digest() != entry.hash:
            raise _AmissError(f"entry {entry.id} was changed after it was written")
        if fault := trusted.fault_of(entry):
            raise _AmissError(fault)
        before = entry.id
    return trusted


def _decision(files: Mapping[str, bytes], evidence: Evidence) -> DecisionStatement:
    try:
        statement = DecisionStatement.model_validate_json(files[DECISION])
    except ValidationError:
        raise _AmissError(f"{DECISION} can't be read") from None
    if statement.package != evidence.package.sha256:
        raise _AmissError("the decision is about another package")
    for path, named in ((EVIDENCE, statement.evidence), (FINDINGS, statement.findings), (CASE, statement.case)):
        if path not in files or sha256(files[path]) != named:
            raise _AmissError(f"{path} is not the one that the decision names")
    return statement


def _acts_on(entries: list[RecordLine], statement: str) -> dict[str, str]:
    """By act who did it to this statement."""
    found = {}
    for entry in entries:
        if entry.act in _SIGNED_BY:
            after = json.loads(entry.after)
            if isinstance(after, dict) and after.get("statement") == statement:
                found[entry.act] = entry.who
    return found
