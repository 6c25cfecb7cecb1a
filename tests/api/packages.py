"""Sending packages as a browser would."""

import io
import time
from typing import Any

import yaml

from tests.api.conftest import Answer, Visitor
from tests.core.test_package import zipped


def submit(visitor: Visitor, files: dict[str, bytes], *, version: str | None = None) -> Answer:
    """As a zip; ``version`` replaces the declared one, so that each test has a case of its own."""
    if version is not None:
        declared = yaml.safe_load(files["submission.yaml"])
        declared["model"]["version"] = version
        files = {**files, "submission.yaml": yaml.safe_dump(declared).encode()}
    return visitor.ask("POST", "/api/cases", data={"package": (io.BytesIO(zipped(files)), "package.zip")})


def rendered(visitor: Visitor, base: str, form: str = "html", order: str = "") -> Answer:
    """The report of a case as it is now, once a worker has made it; ``order`` is a query, such as ``?length=short``."""
    asked = visitor.ask("POST", f"{base}/report{order}")
    assert asked.status_code == 200, asked.text
    end = time.monotonic() + 180
    while (report := visitor.get(f"{base}/report{order}"))["current"]["state"] in ("waiting", "leased"):
        assert time.monotonic() < end, report
        time.sleep(0.2)
    assert report["current"]["state"] == "done", report
    return visitor.ask("GET", f"{base}/report/{form}{order}")


def countersigned(visitor: Visitor, base: str, password: str) -> Answer:
    """The answer to accepting the statement that this person reads now."""
    read = visitor.get(f"{base}/decision")["statement_sha256"]
    body = {"accept": True, "statement_sha256": read, "password": password}
    return visitor.ask("POST", f"{base}/countersignature", body)


def waiting(visitor: Visitor, about: str) -> list[Any]:
    """All of this kind that waits in a person's inbox."""
    items: list[Any] = []
    page = 1
    while (view := visitor.get(f"/api/inbox?page={page}"))["items"]:
        items += view["items"]
        page += 1
    assert len(items) == view["total"]
    return [one for one in items if one["about"] == about]
