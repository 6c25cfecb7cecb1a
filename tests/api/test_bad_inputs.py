"""The same broken, hostile and odd packages by HTTP: none is a fault, and what is refused leaves nothing behind."""

import io
import time

import pytest
from sqlalchemy import func, select

from brookfall.core.foundation.digest import sha256
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Blob, Case, StoredColumn, SubmittedFile
from brookfall.records.database import transaction
from brookfall.records.drafts import Draft
from tests.api.conftest import Visitor
from tests.api.test_case import SignIn
from tests.bad_inputs import Sent, bad_inputs, in_portions
from tests.core.test_bad_inputs import what_is_amiss
from tests.core.test_package import zipped

_MOST_SECONDS = 30.0


def held(sent: Sent) -> list[int]:
    """How much there is of everything that a submission leaves; of bytes its own, as workers keep and drop others."""
    names = [sha256(data) for data in sent.values()] if isinstance(sent, dict) else []
    counted = (
        select(func.count(Case.id)),
        select(func.count(SubmittedFile.id)),
        select(func.count(StoredColumn.id)),
        select(func.count(Draft.id)),
        select(func.count(RecordEntry.id)).where(RecordEntry.act == "submitted"),
        select(func.count(Blob.sha256)).where(Blob.sha256.in_(names)),
    )
    with transaction() as session:
        return [session.scalar(query) or 0 for query in counted]


def of_its_own_version(sent: Sent, version: str) -> bytes:
    """As a zip; with another version where it declares one, as each can be submitted once."""
    if isinstance(sent, bytes):
        return sent
    declared = sent.get("submission.yaml", b"").replace(b"version: '1.0'", f"version: '{version}'".encode(), 1)
    return zipped({**sent, "submission.yaml": declared} if declared else sent)


@pytest.mark.parametrize("names", in_portions(), ids=range(len(in_portions())))
def test_by_http(visitor: SignIn, stores: House, names: list[str]) -> None:
    nell = visitor("nell")
    wrong = {}
    for place, name in enumerate(names):
        said = taken(nell, bad_inputs()[name], f"{names[0][:16]} {place}", name)
        if said is not None:
            wrong[name] = said
    assert not wrong


def taken(nell: Visitor, sent: Sent, version: str, name: str) -> str | None:
    """What is wrong with how the server took a package; None where nothing is."""
    before, began = held(sent), time.monotonic()
    package = {"package": (io.BytesIO(of_its_own_version(sent, version)), "package.zip")}
    answer = nell.ask("POST", "/api/cases", data=package)
    if time.monotonic() - began > _MOST_SECONDS:
        return "it took too long"
    if answer.status_code == 200:
        return None if name.startswith("?") else "it was taken"
    if answer.status_code not in (413, 422):
        return f"it is a {answer.status_code}: {answer.text[:300]}"
    if held(sent) != before:
        return f"it left {held(sent)} where there were {before}"
    problem = answer.json
    return what_is_amiss(f"{problem['detail']} {problem['todo']}".strip())
