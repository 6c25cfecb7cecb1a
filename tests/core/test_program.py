"""What makes an exhibit stale: a changed line of what it rests on, and nothing else."""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Mapping
from importlib.metadata import version
from pathlib import Path

import pytest

import brookfall
from brookfall.core.check.bench import Bench
from brookfall.core.check.program import program_digest, sources_of
from brookfall.core.foundation import environment
from brookfall.core.foundation.sources import package_digest, rests_on, source_digest
from brookfall.core.retest.run import retest
from tests.core.test_unseen import plan, subject

SOURCE = Path(brookfall.__file__).parent
ASK = """
import json
from brookfall.core.check.program import program_digest
from brookfall.core.check.registry import checks
from brookfall.core.measure.built_in import MEASURES
named = [f"check:{one}" for one in checks()] + [f"measure:{one.name}" for one in MEASURES]
from brookfall.core.recipe.families import OWN
print(json.dumps({one: program_digest([one]) for one in named + [f"family:{one.name}" for one in OWN]}))
"""


def digests(program: Path) -> dict[str, str]:
    done = subprocess.run(
        [sys.executable, "-c", ASK],
        env={**os.environ, "PYTHONPATH": str(program)},
        capture_output=True,
        text=True,
        timeout=120,
        check=True,
    )
    return dict(json.loads(done.stdout))


@pytest.fixture(scope="module")
def program(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("program")
    shutil.copytree(SOURCE, folder / "brookfall", ignore=shutil.ignore_patterns("static", "__pycache__"))
    return folder


@pytest.fixture(scope="module")
def before(program: Path) -> dict[str, str]:
    return digests(program)


def changed_by(program: Path, before: Mapping[str, str], file: str, old: str, new: str) -> set[str]:
    """What a changed line of one file makes another."""
    path = program / "brookfall" / "core" / file
    text = path.read_text()
    assert text.count(old) >= 1
    path.write_text(text.replace(old, new))
    try:
        after = digests(program)
    finally:
        path.write_text(text)
    return {name for name, digest in after.items() if digest != before[name]}


def test_a_line_of_a_check_makes_that_check_stale_alone(program: Path, before: Mapping[str, str]) -> None:
    file = "check/memory/gap.py"
    assert changed_by(program, before, file, '    name = "gap"', '    name = "gap"\n    odd = 1') == {"check:gap"}


def test_a_line_of_a_family_makes_only_its_users_stale(program: Path, before: Mapping[str, str]) -> None:
    found = changed_by(
        program, before, "recipe/family/naive_bayes.py", "import numpy as np", "import numpy as np\nODD = 1"
    )
    assert "family:naive_bayes" in found
    assert not found & {"family:tree", "family:ridge"}
    assert not any(name.startswith(("check:", "measure:")) for name in found)


def test_a_line_of_a_measure_makes_only_its_users_stale(program: Path, before: Mapping[str, str]) -> None:
    found = changed_by(program, before, "measure/number.py", "root > 0", "root > 1e-300")
    assert found == {"measure:rmse"}
    found = changed_by(program, before, "measure/built_in.py", "MEASURES: ", "ODD = 1\nMEASURES: ")
    assert not found


def test_a_comment_makes_nothing_stale(program: Path, before: Mapping[str, str]) -> None:
    assert not changed_by(program, before, "check/memory/gap.py", '    name = "gap"', '    # A word.\n    name = "gap"')


def test_the_version_moves_no_figure_and_makes_nothing_stale(monkeypatch: pytest.MonkeyPatch) -> None:
    first = retest(Bench(subject(), plan("holdout", "gap")))
    monkeypatch.setattr(environment, "version", lambda name: "99.0" if name == "brookfall" else version(name))
    environment.environment.cache_clear()
    assert environment.environment()["brookfall"] == "99.0"
    second = retest(Bench(subject(), plan("holdout", "gap")))
    environment.environment.cache_clear()
    assert [one.estimates for one in first] == [one.estimates for one in second]
    assert [one.provenance.program for one in first] == [one.provenance.program for one in second]


def test_an_exhibit_names_every_measure_and_family_it_rests_on() -> None:
    (found,) = retest(Bench(subject(), plan("gap")))
    assert {"check:gap", "measure:auc", "family:logistic"} <= set(found.provenance.sources)
    assert found.provenance.program == program_digest(found.provenance.sources)
    assert not any(one.startswith("family:tree") for one in found.provenance.sources)


def test_what_a_module_rests_on_ends_at_the_registries() -> None:
    found = rests_on("brookfall.core.check.memory.gap")
    assert "brookfall.core.measure.registry" in found
    assert "brookfall.core.measure.built_in" not in found
    assert len(package_digest("brookfall.core")) == 64


def test_layout_and_docstrings_say_nothing() -> None:
    assert source_digest('def f():\n    "Says."\n    return 1') == source_digest("def f():\n\n    return 1  # one")
    assert source_digest("def f():\n    return 1") != source_digest("def f():\n    return 2")


def test_sources_are_named_in_one_order() -> None:
    assert sources_of("gap", {"brier", "auc"}, {"tree"}) == ("check:gap", "family:tree", "measure:auc", "measure:brier")
