"""The page of methods says of every measure, check and family what it says of itself, and nothing twice."""

import json
import re

import numpy as np
import pytest
from benchmarks.coverage import DATA, PAGE, by_measure

from brookfall.core.check.methods import methods
from brookfall.core.check.methods_page import methods_page
from brookfall.core.check.registry import checks
from brookfall.core.evidence.limit import Limit
from brookfall.core.judge.policy import Policy
from brookfall.core.measure.registry import measures
from brookfall.core.recipe.families import families
from brookfall.core.table.outcome import OUTCOMES


@pytest.fixture(scope="module")
def page() -> str:
    return methods_page()


def section(page: str, name: str) -> str:
    """What stands under the heading of that name."""
    (found,) = re.findall(rf"^#+ [^\n]*\(`{name}`\)\n(.*?)(?=^#|\Z)", page, re.MULTILINE | re.DOTALL)
    return str(found)


def test_every_measure_has_its_own_section(page: str) -> None:
    for name, measure in measures().items():
        said = section(page, name)
        assert f"- Source: {measure.source}\n" in said
        assert measure.formula[1:] in said
        assert ("needs a" in said) == bool(measure.forms), name


def test_every_check_stands_once_with_its_sentence_and_its_limit(page: str) -> None:
    for name, check in checks().items():
        said = section(page, name)
        assert check.page in said
        assert len(check.page) > 30, name
        quoted = [line for line in said.splitlines() if line.startswith("> ")]
        assert len(quoted) >= 1, name
        assert "limit" in quoted[-1], name
        assert f"- Source: {check.source}\n" in said


def test_a_measure_says_which_way_is_better_and_where_it_ends(page: str) -> None:
    assert "Lowest: 0; highest: 1; higher is better" in section(page, "auc")
    assert "Lowest: 0; highest: no end; lower is better" in section(page, "rmse")
    assert "best at 1" in section(page, "calibration_slope")
    assert "neither way is better" in section(page, "selection_rate")


def test_values_stand_in_a_sentence_as_the_standard_plan_sets_them(page: str) -> None:
    assert "> limit: gap in AUC ≤ *0.05*" in section(page, "gap")
    assert "None" not in "".join(line for line in page.splitlines() if line.startswith(">"))


def test_outcomes_are_named_as_on_the_page(page: str) -> None:
    assert "- Outcome: choice\n" in section(page, "choice")
    assert len(OUTCOMES) == 4


def test_every_family_follows_with_its_defaults(page: str) -> None:
    for name, family in families().items():
        (said,) = re.findall(rf"^## {name}\n(.*?)(?=^## |\Z)", page, re.MULTILINE | re.DOTALL)
        assert family.words[1:] in said


def test_a_measure_is_shown_on_rows_that_anybody_can_write_down() -> None:
    """The figures of the examples are found again here by hand, from the words that describe their rows."""
    told = {one.name: one.examples for one in methods() if one.kind == "measure"}
    scores, positive = np.linspace(0.9, 0.1, 60), np.arange(60) % 3 == 0
    pairs = (scores[positive][:, None] > scores[~positive]).mean()
    assert f": {pairs:.3f} [" in told["auc"][0]
    assert f": {((scores - positive) ** 2).mean():.3f} [" in told["brier"][0]
    assert ": 0.333 [" in told["base_rate"][0]
    assert f": {np.mean([9.0, 4.0]) ** 0.5:.3f} [" in told["rmse"][0]
    assert ": 0.750 [" in told["hit_rate"][0]
    assert f": {40 * (0.75 * np.log(0.7) + 0.25 * np.log(0.3)):.3f}".replace("-", "−") in told["log_likelihood"][0]
    assert all("n " in one or "no interval" in one or ": none" in one for lines in told.values() for one in lines)
    assert {one.name for one in methods() if one.kind == "measure" and not one.examples} == {
        name for name, measure in measures().items() if not measure.forms
    }


def test_where_tiers_set_other_limits_each_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    def policy(tier: int) -> Policy:
        return Policy(tier=tier, gap=Limit(at_most=0.02 * tier, ideal=0))

    monkeypatch.setattr("brookfall.core.check.standard_plan.default_policy", policy)
    (gap,) = [one for one in methods() if one.kind == "check" and one.name == "gap"]
    assert gap.limits == tuple(f"limit: gap in AUC ≤ *0.0{2 * tier}* (tier {tier})" for tier in (1, 2, 3))


def test_a_measure_says_how_often_its_intervals_held_the_truth() -> None:
    told = json.loads(DATA.read_text(encoding="utf-8"))
    assert told == by_measure(PAGE.read_text(encoding="utf-8")), "make bench-coverage writes both"
    auc = next(one for one in methods() if (one.kind, one.name) == ("measure", "auc"))
    assert auc.coverage[0].startswith("Positive 50 %: 97.1 % at n 30, 95.6 % at n 60")
    slope = next(one for one in methods() if one.name == "calibration_slope")
    assert "n 30," not in slope.coverage[0], "what was not judged has no share"
    assert f"    - {auc.coverage[0]}" in methods_page()
