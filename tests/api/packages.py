"""Sending packages as a browser would."""

import io

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
