"""Writes what docs/ takes from the code: the API, the open formats, the methods; ``--check`` fails when stale."""

import json
import sys
from pathlib import Path
from typing import Any

from brookfall.api.app import description
from brookfall.api.problems import PROBLEM_TYPE
from brookfall.core.check.methods_page import methods_page
from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.core.judge.requirements import RequirementFile
from brookfall.core.plan.plan import Plan
from brookfall.core.retest.evidence_file import Evidence
from brookfall.core.submission.schema import Submission

DOCS = Path(__file__).resolve().parents[3] / "docs"


def descriptions() -> dict[str, str]:
    """File under docs/ to text, generated from the code's own types."""
    schemas = {
        "formats/submission.schema.json": Submission.model_json_schema(),
        "formats/plan.schema.json": Plan.model_json_schema(),
        "formats/policy.schema.json": HousePolicy.model_json_schema(),
        "formats/requirements.schema.json": RequirementFile.model_json_schema(),
        "formats/evidence.schema.json": Evidence.model_json_schema(by_alias=True),
        "formats/decision.schema.json": DecisionStatement.model_json_schema(),
        "formats/openapi.json": _described(description()),
    }
    written = {name: json.dumps(schema, indent=1, sort_keys=True) + "\n" for name, schema in schemas.items()}
    return {**written, "reference.md": methods_page()}


def _described(doc: dict[str, Any]) -> dict[str, Any]:
    """The API's description: errors are problem details, and any request may meet one."""
    for operations in doc["paths"].values():
        for operation in operations.values():
            responses = operation["responses"]
            for status, response in responses.items():
                if status >= "400":
                    response["content"] = {PROBLEM_TYPE: next(iter(response["content"].values()))}
            schema = {"$ref": "#/components/schemas/Problem"}
            responses["default"] = {"description": "Another error", "content": {PROBLEM_TYPE: {"schema": schema}}}
    return {**doc, "security": [{"session": []}, {"token": []}]}


def main() -> None:
    stale = []
    (DOCS / "formats").mkdir(parents=True, exist_ok=True)
    for name, text in descriptions().items():
        file = DOCS / name
        if not file.is_file() or file.read_text(encoding="utf-8") != text:
            stale.append(name)
            if "--check" not in sys.argv:
                file.write_text(text, encoding="utf-8")
    if stale and "--check" in sys.argv:
        sys.exit(f"Stale in docs: {', '.join(stale)}. Run 'make docs' and commit.")


if __name__ == "__main__":
    main()
