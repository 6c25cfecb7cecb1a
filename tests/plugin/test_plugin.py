"""A package of others adds a measure, a check with fields and a figure, and a family, through entry points alone."""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
import yaml

from tests.conftest import files_of
from tests.core.test_cli import written
from tests.plugin.install import install

DRAW = """
import json, sys
from brookfall.core.retest.evidence_file import read_evidence
from brookfall.report.charts import draw
for exhibit in read_evidence(open(sys.argv[1]).read()).exhibits:
    if exhibit.check == "score_rounding":
        print(json.dumps(draw(exhibit)))
"""
FIELDS = """
import json
from brookfall.core.check.example import small_bench
from brookfall.core.check.registry import checks
from brookfall.core.check.sentence import About
bench = small_bench()
about = About(plan=bench.plan, outcome="binary", positive="yes", claims=0, protected=(), features=("x",), timed=False)
print(checks()["score_rounding"].sentence(about).model_dump_json())
"""


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> dict[str, str]:
    """The environment of a house that has the package."""
    return {**os.environ, "PYTHONPATH": install(tmp_path_factory.mktemp("installed"))}


def told(environment: dict[str, str], *command: str) -> str:
    done = subprocess.run(
        [sys.executable, *command], env=environment, capture_output=True, text=True, timeout=300, check=False
    )
    assert done.returncode == 0, done.stderr[-2000:]
    return done.stdout


@pytest.fixture(scope="module")
def evidence(installed: dict[str, str], tmp_path_factory: pytest.TempPathFactory) -> tuple[dict[str, Any], str, str]:
    """Evidence of a model of the package's family, judged by its measure, with its check under settings of its own."""
    folder = tmp_path_factory.mktemp("plugin")
    recipe = {"family": "level_means", "settings": {"belief": 20}, "threshold": 0.5, "seed": 3}
    package = written(folder / "package", files_of(recipe=recipe, claims=[]))
    plan = yaml.safe_load(told(installed, "-m", "brookfall.cli", "plan", package))
    assert "score_rounding" in plan["checks"]
    plan["checks"] = ["holdout", "gap", "complexity", "score_rounding"]
    plan["main_measure"] = "brier_skill"
    plan["settings"] = {"score_rounding": {"decimals": 0, "how": "up"}}
    plan["policy"]["limits"] = {"score_rounding": {"at_most": 0.01}}
    (folder / "plan.yaml").write_text(yaml.safe_dump(plan))
    out = str(folder / "evidence.json")
    told(installed, "-m", "brookfall.cli", "retest", package, "--plan", str(folder / "plan.yaml"), "--out", out)
    return json.loads(Path(out).read_text()), out, package


def exhibit(evidence: dict[str, Any], check: str) -> Any:
    (found,) = [one for one in evidence["exhibits"] if one["check"] == check]
    return found


def test_the_measure_judges_and_the_family_is_refitted(evidence: tuple[dict[str, Any], str, str]) -> None:
    gap = exhibit(evidence[0], "gap")
    assert "Brier skill" in gap["answer"]
    assert {"family:level_means", "measure:brier_skill"} <= set(gap["provenance"]["sources"])
    (skill,) = [
        one for one in exhibit(evidence[0], "holdout")["estimates"] if one["id"] == "holdout/brier_skill/recipe/test"
    ]
    assert skill["low"] < skill["value"] < skill["high"]


def test_the_family_s_dial_is_turned(evidence: tuple[dict[str, Any], str, str]) -> None:
    found = exhibit(evidence[0], "complexity")
    assert found["state"] == "done", found["answer"]
    (dial,) = [chart for chart in found["charts"] if chart["kind"] == "dial"]
    assert len(dial["points"]) >= 4


def test_the_check_is_judged_by_its_own_limit_and_draws_its_figure(
    installed: dict[str, str], evidence: tuple[dict[str, Any], str, str]
) -> None:
    found = exhibit(evidence[0], "score_rounding")
    assert found["state"] == "done", found["answer"]
    (judged,) = [one for one in found["estimates"] if one["limit"]]
    assert judged["limit"] == {"low": None, "high": 0.01} or judged["limit"].get("at_most") == 0.01
    assert judged["feature"] == "0 decimals"
    assert found["standing"] == judged["standing"] == "outside"
    (chart,) = found["charts"]
    assert chart["kind"] == "marks"
    drawn = json.loads(told(installed, "-c", DRAW, evidence[1]))
    assert "<svg" in drawn[0]
    assert drawn[0].count("<path") > 5


def test_its_sentence_has_two_fields_and_a_limit(installed: dict[str, str]) -> None:
    sentence = json.loads(told(installed, "-c", FIELDS))
    paths = [part["path"] for part in (*sentence["parts"], *sentence["limit"]) if part["kind"] != "words"]
    assert paths == [
        ["settings", "score_rounding", "decimals"],
        ["settings", "score_rounding", "how"],
        ["policy", "limits", "score_rounding", "at_most"],
    ]


def test_all_three_stand_in_methods(installed: dict[str, str]) -> None:
    page = told(installed, "-m", "brookfall.cli", "methods").splitlines()
    assert "## Brier skill (`brier_skill`)" in page
    (check,) = [place for place, line in enumerate(page) if line.endswith("(`score_rounding`)")]
    said = "\n".join(page[check : check + 14])
    assert "score" in page[check + 2]
    assert "> limit:" in said
    assert "Source:" in said
    assert "## level_means" in page


def test_it_is_replayed_bit_for_bit(installed: dict[str, str], evidence: tuple[dict[str, Any], str, str]) -> None:
    assert "bit for bit" in told(installed, "-m", "brookfall.cli", "replay", evidence[1], evidence[2])


def test_without_the_package_the_evidence_is_refused_with_what_is_missing(
    evidence: tuple[dict[str, Any], str, str],
) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "brookfall.cli", "replay", evidence[1], evidence[2]],
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert "level_means" in done.stderr or "score_rounding" in done.stderr
