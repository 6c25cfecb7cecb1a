"""Writes the API's description and the JSON Schemas of the open formats; ``--check`` fails when they are stale."""

import json
import sys
from pathlib import Path

from brookfall.api.app import bare_app
from brookfall.core.evidence import Evidence
from brookfall.core.plan import Plan
from brookfall.core.submission.schema import Submission

FORMATS = Path(__file__).resolve().parents[3] / "docs" / "formats"


def descriptions() -> dict[str, str]:
    """File name to text, generated from the code's own types."""
    schemas = {
        "submission.schema.json": Submission.model_json_schema(),
        "plan.schema.json": Plan.model_json_schema(),
        "evidence.schema.json": Evidence.model_json_schema(by_alias=True),
        "openapi.json": bare_app().api_doc,
    }
    return {name: json.dumps(schema, indent=1, sort_keys=True) + "\n" for name, schema in schemas.items()}


def main() -> None:
    stale = []
    FORMATS.mkdir(parents=True, exist_ok=True)
    for name, text in descriptions().items():
        file = FORMATS / name
        if not file.is_file() or file.read_text(encoding="utf-8") != text:
            stale.append(name)
            if "--check" not in sys.argv:
                file.write_text(text, encoding="utf-8")
    if stale and "--check" in sys.argv:
        sys.exit(f"Stale in docs/formats: {', '.join(stale)}. Run 'make docs' and commit.")


if __name__ == "__main__":
    main()
