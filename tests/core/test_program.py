"""What makes an exhibit stale: a changed line of what it rests on, and nothing else."""

import json
import os
import shutil
import subprocess
import sys
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
import json, sys
from pathlib import Path
from brookfall.core.check import program
from brookfall.core.check.registry import checks
from brookfall.core.foundation import sources
from brookfall.core.measure import registry
from brookfall.core.measure.built_in import MEASURES
from brookfall.core.recipe.families import OWN
named = [f"check:{one}" for one in checks()] + [f"measure:{one.name}" for one in MEASURES]
named += [f"family:{one.name}" for one in OWN]

def digests():
    for module in (program, sources, registry):
        for kept in vars(module).values():
            if hasattr(kept, "cache_clear"):
                kept.cache_clear()
    return {one: program.program_digest([one]) for one in named}

before = digests()
stale = {}
for what, (file, old, new) in json.load(sys.stdin).items():
    path = Path(program.__file__).parents[1] / file
    text = path.read_text()
    assert old in text, (what, old)
    path.write_text(text.replace(old, new))
    stale[what] = [one for one, digest in digests().items() if digest != before[one]]
    path.write_text(text)
print(json.dumps(stale))
"""
CHANGES = {
    "check": ("check/memory/gap.py", '    name = "gap"', '    name = "gap"\n    odd = 1'),
    "comment": ("check/memory/gap.py", '    name = "gap"', '    # A word.\n    name = "gap"'),
    "family": ("recipe/family/naive_bayes.py", "import numpy as np", "import numpy as np\nODD = 1"),
    "measure": ("measure/number.py", "root > 0", "root > 1e-300"),
    "list of measures": ("measure/built_in.py", "MEASURES: ", "ODD = 1\nMEASURES: "),
}
"""File, the text that is changed in it, and what stands there then."""


@pytest.fixture(scope="module")
def stale(tmp_path_factory: pytest.TempPathFactory) -> dict[str, set[str]]:
    """What each change makes another, in a copy of the program."""
    folder = tmp_path_factory.mktemp("program")
    shutil.copytree(SOURCE, folder / "brookfall", ignore=shutil.ignore_patterns("static", "__pycache__"))
    done = subprocess.run(
        [sys.executable, "-c", ASK],
        env={**os.environ, "PYTHONPATH": str(folder)},
        input=json.dumps(CHANGES),
        capture_output=True,
        text=True,
        timeout=300,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    return {what: set(names) for what, names in json.loads(done.stdout).items()}


def test_a_line_of_a_check_makes_that_check_stale_alone(stale: dict[str, set[str]]) -> None:
    assert stale["check"] == {"check:gap"}


def test_a_line_of_a_family_makes_only_its_users_stale(stale: dict[str, set[str]]) -> None:
    assert "family:naive_bayes" in stale["family"]
    assert not stale["family"] & {"family:tree", "family:ridge"}
    assert not any(name.startswith(("check:", "measure:")) for name in stale["family"])


def test_a_line_of_a_measure_makes_only_its_users_stale(stale: dict[str, set[str]]) -> None:
    assert stale["measure"] == {"measure:rmse"}
    assert not stale["list of measures"]


def test_a_comment_makes_nothing_stale(stale: dict[str, set[str]]) -> None:
    assert not stale["comment"]


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
    assert sources_of("gap", {"brier", "auc"}, {"family:tree"}) == (
        "check:gap",
        "family:tree",
        "measure:auc",
        "measure:brier",
    )
