"""The evidence bundle: whole or not, told by itself; everything that can be changed in it is told."""

import base64
import io
import json
import zipfile
from collections.abc import Callable
from datetime import datetime
from typing import Any

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.evidence.record_line import ANNOUNCED, RecordLine
from brookfall.core.foundation import digest
from brookfall.core.foundation.signature import key_id
from brookfall.core.plan.yaml_file import plan_to_yaml
from brookfall.core.retest import bundle as bundles
from brookfall.core.retest.bundle import BundleCheck, bundle_of, check_bundle
from brookfall.core.retest.evidence_file import evidence_of
from brookfall.core.retest.run import retest
from brookfall.core.submission.files import files_of_zip, package_hash
from brookfall.core.submission.package import Package, package_from_files
from brookfall.core.submission.subject import subject_of
from tests.conftest import files_of, small_plan

MOST = 100_000_000
Files = dict[str, bytes]


class Clerk:
    """Writes a record as a house does: each entry signed, and chained to the one before."""

    def __init__(self) -> None:
        self.key = Ed25519PrivateKey.from_private_bytes(bytes(range(32)))
        self.lines: list[RecordLine] = []
        self.write(ANNOUNCED, self.id, {"public": self.public}, who="Brookfall")

    @property
    def public(self) -> str:
        return self.key.public_key().public_bytes_raw().hex()

    @property
    def id(self) -> str:
        return key_id(self.public)

    def write(self, act: str, subject: str, after: object, who: str) -> None:
        line = RecordLine(
            id=3 * len(self.lines) + 1,  # entries of other cases lie between
            at=datetime(2026, 11, 1, 9, len(self.lines)),
            person_id=None,
            who=who,
            case_id=1,
            act=act,
            subject=subject,
            before="null",
            after=digest.canonical(after).decode(),
            previous="0" * 64,
            hash="",
            key_id=self.id,
            signature=None,
        )
        hashed = line.digest()
        signature = base64.b64encode(self.key.sign(hashed.encode())).decode()
        self.lines.append(line.model_copy(update={"hash": hashed, "signature": signature}))

    @property
    def text(self) -> bytes:
        return "".join(f"{line.model_dump_json()}\n" for line in self.lines).encode()


@pytest.fixture(scope="module")
def package() -> Package:
    return package_from_files(files_of(claims=[]))


@pytest.fixture(scope="module")
def whole(package: Package) -> Files:
    """A countersigned case's bundle, unpacked."""
    sent = files_of(claims=[])
    plan = small_plan(checks=("profile", "holdout"))
    bench = Bench(subject_of(package), plan)
    evidence = evidence_of(package.sha256, plan, bench.subject.roles, retest(bench))
    findings, facts = b'{"findings":[]}', b'{"files":[]}'
    text = evidence.to_json().encode()
    statement = DecisionStatement(
        model="Sample", version="1.0", tier=3, kind="approved", reasons="Sound.", conditions=(), over=(), departures=(),
        package=package.sha256, plan=digest.of_json(plan.model_dump(mode="json")), evidence=digest.sha256(text),
        findings=digest.sha256(findings), case=digest.sha256(facts), proposed_by="Iris Vale",
        proposed=datetime(2026, 11, 1),
    ).to_json()  # fmt: skip
    clerk = Clerk()
    clerk.write("proposed a decision", "approved", {"statement": digest.sha256(statement)}, who="Iris Vale")
    clerk.write("countersigned", "approved", {"statement": digest.sha256(statement)}, who="Tom Aldous")
    files = {
        bundles.PLAN: plan_to_yaml(plan).encode(),
        bundles.EVIDENCE: text,
        bundles.DECISION: statement,
        bundles.FINDINGS: findings,
        bundles.CASE: facts,
        bundles.RECORD: clerk.text,
        **{f"{bundles.PACKAGE}{path}": data for path, data in sent.items()},
    }
    return files_of_zip(bundle_of(files, "Sample", "1.0", package_hash(sent), ()), MOST)


def listed(files: Files, **changes: bytes | None) -> Files:
    """The bundle with these files changed or taken out, and a list that knows it: as whoever forges one would."""
    changed = {**files, **changes}
    kept = {path: data for path, data in changed.items() if data is not None}
    manifest = json.loads(kept[bundles.MANIFEST])
    manifest["files"] = {path: digest.sha256(data) for path, data in kept.items() if path != bundles.MANIFEST}
    return {**kept, bundles.MANIFEST: json.dumps(manifest).encode()}


def checked(files: Files) -> BundleCheck:
    return check_bundle(files)


def test_a_whole_bundle_says_who_signed_it(whole: Files) -> None:
    told = checked(whole)
    assert told.fault is None
    assert told.lines == (
        f"Sample 1.0: {len(whole) - 1} files have the hashes that the bundle lists.",
        "The package is the one that the evidence is about; the evidence has 2 exhibits.",
        "All 3 entries of the record are as they were written.",
        f"They are signed by the key {Clerk().id}.",
        "Iris Vale proposed the decision (approved), as the record says.",
        "Tom Aldous countersigned it, as the record says.",
    )


def test_equal_files_make_an_equal_bundle(whole: Files) -> None:
    files = {path: data for path, data in whole.items() if path not in (bundles.MANIFEST, bundles.READ_ME)}
    one, two = (bundle_of(files, "Sample", "1.0", "0" * 64, ()) for _ in range(2))
    assert one == two
    with zipfile.ZipFile(io.BytesIO(one)) as archive:
        assert archive.testzip() is None
        assert bundles.READ_ME in archive.namelist()


def lines_of(files: Files) -> list[dict[str, Any]]:
    return [json.loads(line) for line in files[bundles.RECORD].decode().splitlines()]


def with_lines(lines: list[dict[str, Any]]) -> bytes:
    return "".join(json.dumps(line) + "\n" for line in lines).encode()


def renamed(files: Files) -> Files:
    """An entry says that another did it, its hash made anew."""
    lines = lines_of(files)
    lines[2]["who"] = "Nell Ashby"
    lines[2]["hash"] = RecordLine.model_validate(lines[2]).digest()
    return listed(files, **{bundles.RECORD: with_lines(lines)})


def unsigned(files: Files) -> Files:
    lines = lines_of(files)
    lines[1]["signature"] = None
    return listed(files, **{bundles.RECORD: with_lines(lines)})


def other_reasons(files: Files) -> Files:
    statement = json.loads(files[bundles.DECISION])
    return listed(files, **{bundles.DECISION: digest.canonical({**statement, "reasons": "Splendid."})})


def other_figure(files: Files) -> Files:
    evidence = json.loads(files[bundles.EVIDENCE])
    evidence["exhibits"][1]["answer"] = "It is perfect."
    return listed(files, **{bundles.EVIDENCE: json.dumps(evidence).encode()})


FORGED: dict[str, tuple[Callable[[Files], Files], str]] = {
    "a file changed": (lambda f: {**f, bundles.PLAN: b"seed: 2\n"}, "plan.yaml was changed"),
    "a file gone": (lambda f: {p: d for p, d in f.items() if p != bundles.CASE}, "case.json is gone"),
    "a file more": (lambda f: {**f, "more.txt": b"x"}, "more.txt is not in the bundle's list"),
    "no list": (lambda f: {p: d for p, d in f.items() if p != bundles.MANIFEST}, "this is no evidence bundle"),
    "a list that is none": (lambda f: {**f, bundles.MANIFEST: b"[]"}, "this is no evidence bundle"),
    "rows changed": (lambda f: listed(f, **{"package/data/rows.csv": b"x,y\n1,2\n"}), "the package is not the one"),
    "evidence changed": (other_figure, "evidence.json is not the one that the decision names"),
    "evidence that is none": (lambda f: listed(f, **{bundles.EVIDENCE: b"{}"}), "evidence.json can't be read"),
    "findings changed": (lambda f: listed(f, **{bundles.FINDINGS: b"[]"}), "findings.json is not the one"),
    "facts left out": (lambda f: listed(f, **{bundles.CASE: None}), "case.json is not the one"),
    "another decision": (other_reasons, "no entry of the record says that this decision was proposed"),
    "a decision that is none": (lambda f: listed(f, **{bundles.DECISION: b"{}"}), "decision.json can't be read"),
    "an entry renamed": (renamed, "entry 7 has a signature that is not its own"),
    "an entry unsigned": (unsigned, "entry 4 is not signed"),
    "an entry twice": (
        lambda f: listed(f, **{bundles.RECORD: with_lines([*lines_of(f), lines_of(f)[-1]])}),
        "out of its order",
    ),
    "a record that is none": (lambda f: listed(f, **{bundles.RECORD: b"hello\n"}), "record.jsonl can't be read"),
    "no record": (lambda f: listed(f, **{bundles.RECORD: None}), "record.jsonl can't be read"),
}


@pytest.mark.parametrize("what", FORGED)
def test_whatever_is_changed_is_told(whole: Files, what: str) -> None:
    forge, words = FORGED[what]
    told = checked(forge(whole))
    assert told.fault is not None
    assert words in told.fault


def test_a_case_in_review_and_one_whose_rows_went(whole: Files, package: Package) -> None:
    undecided = listed(whole, **{bundles.DECISION: None, bundles.FINDINGS: None, bundles.CASE: None})
    assert checked(undecided).lines[-1] == "No decision was proposed."
    proposed = listed(whole, **{bundles.RECORD: with_lines(lines_of(whole)[:2])})
    assert checked(proposed).lines[-1] == "Nobody has countersigned it."
    kept = {path: data for path, data in whole.items() if not path.startswith(bundles.PACKAGE)}
    kept = {path: data for path, data in kept.items() if path not in (bundles.MANIFEST, bundles.READ_ME)}
    gone = ("the submitted files, which were taken away after their term",)
    told = checked(files_of_zip(bundle_of(kept, "Sample", "1.0", package.sha256, gone), MOST))
    assert told.fault is None
    assert f"Not here: {gone[0]}." in told.lines
    assert any("was not taken along" in line for line in told.lines)
