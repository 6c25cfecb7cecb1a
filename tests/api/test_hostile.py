"""What strangers send to the web: refused in a sentence, nothing kept, and the server goes on."""

import io
from collections.abc import Callable

import pytest
from sqlalchemy import func, select

from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Blob, Case
from brookfall.records.database import transaction
from tests.api.conftest import Visitor
from tests.api.test_case import taken
from tests.core.test_package import zipped
from tests.sandbox.hostile import ALIASES, PACKAGES

SignIn = Callable[[str], Visitor]


def held() -> list[int]:
    with transaction() as session:
        return [session.scalar(select(func.count()).select_from(table)) or 0 for table in (Case, Blob, RecordEntry)]


@pytest.mark.parametrize("name", list(PACKAGES))
def test_a_hostile_package_is_refused_and_leaves_nothing(visitor: SignIn, name: str) -> None:
    nell, before = visitor("nell"), held()
    sent, _ = PACKAGES[name]
    package = sent if isinstance(sent, bytes) else zipped(sent)
    answer = nell.ask("POST", "/api/cases", data={"package": (io.BytesIO(package), "p.zip")})
    assert answer.status_code == 422, answer.text
    assert answer.content_type == "application/problem+json"
    assert answer.json["detail"]
    assert answer.json["todo"]
    assert "Traceback" not in answer.text
    assert held() == before


@pytest.mark.parametrize(
    "text", ['seed: !!int "zz"', "seed: !!timestamp zzz", ALIASES.decode(), "a: " + "x" * 1_100_000]
)
def test_a_hostile_plan_is_refused(visitor: SignIn, text: str) -> None:
    iris, base = taken(visitor, f"hostile plan {len(text)} {text[8:12]}")
    answer = iris.ask("POST", f"{base}/plan/file", {"name": "plan.yaml", "text": text})
    assert answer.status_code in (400, 422), answer.text[:300]
    assert answer.content_type == "application/problem+json"
    assert iris.get(f"{base}/plan")["plan"]["seed"] == 20417
