"""Families: the registry and what an installed package adds to it, settings, classes a fit has not seen."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sklearn.linear_model import LogisticRegression

from brookfall.core.check.methods_page import methods_page
from brookfall.core.recipe.families import OWN, families, recipe_in_words, resolved_settings
from brookfall.core.recipe.family.naive_bayes import MixedBayes
from brookfall.core.recipe.recipe import Recipe
from tests.core.test_outcomes import people
from tests.made import examples, scores_on, subject_of_frame

PLUGIN = '''
from sklearn.dummy import DummyClassifier
from brookfall.core.recipe.family.family import CLASSES, Family, Settings


class CoinSettings(Settings):
    """How sure the coin is."""

    sure: float = 0.5


COIN = Family("{name}", "coin toss", CLASSES, CoinSettings, lambda made: DummyClassifier(strategy="prior"))
'''


def installed(folder: Path, name: str = "coin") -> dict[str, str]:
    """An installed package that adds a family, and the environment in which it is found."""
    (folder / "coins.py").write_text(PLUGIN.replace("{name}", name))
    info = folder / "house_coins-1.2.dist-info"
    info.mkdir(parents=True)
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: house-coins\nVersion: 1.2\n")
    (info / "entry_points.txt").write_text("[brookfall.families]\ncoin = coins:COIN\n")
    return {**os.environ, "PYTHONPATH": str(folder)}


def run(code: str, environment: dict[str, str]) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-c", code], env=environment, capture_output=True, text=True, timeout=120, check=False
    )


def test_an_installed_package_adds_a_family(tmp_path: Path) -> None:
    code = (
        "from brookfall.core.recipe.families import families, program_of, check_recipe, resolved_settings\n"
        "from brookfall.core.recipe.recipe import Recipe\n"
        "recipe = Recipe(family='coin', settings={'sure': '0.7'})\n"
        "check_recipe(recipe, 'binary', 'x')\n"
        "print(families()['coin'].words, len(program_of('coin')), resolved_settings(recipe).sure)"
    )
    done = run(code, installed(tmp_path))
    assert done.stdout.strip() == "coin toss 64 0.7", done.stderr


def test_a_package_cannot_take_a_name_that_is_there(tmp_path: Path) -> None:
    done = run("from brookfall.core.recipe.families import families; families()", installed(tmp_path, "tree"))
    assert done.returncode == 1
    assert "takes the name tree, which is taken" in done.stderr


def test_every_setting_and_default_is_on_the_page() -> None:
    page = methods_page()
    for family in OWN:
        assert f"## {family.name}" in page
        for name in family.settings.model_fields:
            assert f"| `{name}` |" in page


@pytest.mark.parametrize("name", sorted(families()))
def test_settings_are_read_from_text_and_written_in_words(name: str) -> None:
    recipe = Recipe(family=name, threshold=0.5)
    outcome = sorted(families()[name].outcomes)[0]
    words = recipe_in_words(recipe, outcome)
    assert words.endswith(".")
    assert ("positive when" in words) == (outcome == "binary")
    dumped = resolved_settings(recipe).model_dump(mode="json")
    written = {key: str(value) for key, value in dumped.items() if not isinstance(value, list) and value is not None}
    assert resolved_settings(recipe.model_copy(update={"settings": written})) == resolved_settings(recipe)


def test_logistic_penalties_are_those_of_the_page() -> None:
    # −log L + strength × penalty: C = 1 / strength.
    frame = people()[["x", "z", "flag"]]
    rows = np.arange(len(frame))
    x, y = frame[["x", "z"]].to_numpy(), frame["flag"] == "yes"
    for given_, share in (("l2", 0.0), ("l1", 1.0), ("elastic_net", 0.3)):
        settings_ = {"penalty": given_, "strength": "20", "l1_share": "0.3"}
        subject = subject_of_frame(frame, "flag", Recipe(family="logistic", settings=settings_), positive="yes")
        theirs = LogisticRegression(C=1 / 20, l1_ratio=share, solver="saga", max_iter=20000, tol=1e-9).fit(x, y)
        assert scores_on(subject, rows, rows) == pytest.approx(theirs.predict_proba(x)[:, 1], abs=2e-4), given_


def test_a_class_that_a_fit_has_not_seen_gets_no_probability() -> None:
    frame = people()[["x", "z", "kind"]]
    subject = subject_of_frame(frame, "kind", Recipe(family="tree"), "multiclass")
    train = np.flatnonzero(frame["kind"] != "large")
    scores = scores_on(subject, train, np.arange(len(frame)))
    assert scores.shape == (len(frame), 3)
    assert (scores[:, 0] == 0).all()
    assert scores.sum(axis=1) == pytest.approx(1)


@given(st.integers(0, 100))
@examples(20)
def test_weights_in_naive_bayes_are_repeated_rows(seed: int) -> None:
    rng = np.random.default_rng(seed)
    design = np.column_stack([rng.normal(size=60), rng.integers(0, 3, 60)]).astype(float)
    target, times = np.arange(60) % 2, rng.integers(1, 4, 60)
    weighted = MixedBayes(1).fit(design, target, times.astype(float)).predict_proba(design)
    repeated = MixedBayes(1).fit(np.repeat(design, times, axis=0), np.repeat(target, times)).predict_proba(design)
    assert weighted == pytest.approx(repeated, abs=1e-9)


def test_a_level_never_seen_says_nothing_in_naive_bayes() -> None:
    design = np.array([[0.0], [1.0], [0.0], [1.0]])
    fitted = MixedBayes(0).fit(design, np.array([0, 0, 1, 1]))
    assert fitted.predict_proba(np.array([[7.0]]))[0] == pytest.approx([0.5, 0.5])
