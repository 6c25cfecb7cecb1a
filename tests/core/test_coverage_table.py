"""The table of lines that the tests ran, as `make test` prints it."""

import json
from pathlib import Path

import pytest
from scripts.coverage import main


def written(path: Path, files: dict[str, tuple[list[int], list[int]]]) -> str:
    said = {name: {"executed_lines": ran, "missing_lines": missed} for name, (ran, missed) in files.items()}
    path.write_text(json.dumps({"files": said}))
    return str(path)


def test_a_line_that_any_set_of_tests_ran_is_counted_once(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    gap = "src/brookfall/core/check/memory/gap.py"
    main(
        [
            written(tmp_path / "core.json", {gap: ([1, 2, 3], [4, 5])}),
            written(tmp_path / "api.json", {gap: ([3, 4], [1, 2, 5]), "src/brookfall/api/runs.py": ([], [7])}),
        ]
    )
    lines = [line.split() for line in capsys.readouterr().out.splitlines() if "%" in line]
    assert lines == [
        ["brookfall.api", "0", "of", "1", "0.0", "%"],
        ["brookfall.core.check", "4", "of", "5", "80.0", "%"],
        ["all", "4", "of", "6", "66.7", "%"],
    ]
