"""No threshold is ever invented: what needs a decision is not computed until somebody says where to decide."""

from dataclasses import replace

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.registry import checks_of
from brookfall.core.evidence.chart import GroupThresholds, MatrixChart, ThresholdChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import FigureReading, FitJob, FlipReading, SensitivityReading, Wanted
from brookfall.core.fit.run import run_fits
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import measure, measures
from brookfall.core.measure.scored import NO_THRESHOLD
from brookfall.core.plan.facts import plan_facts
from brookfall.core.recipe.families import recipe_in_words
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.rows_behind import Behind, rows_behind
from brookfall.core.retest.run import ask, jobs_of, retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from tests.conftest import files_of, small_plan
from tests.made import binary_rows, exhibit_of, read

UNDECIDED = {"family": "logistic", "preprocess": {"scale": "standard"}, "seed": 3}
DECIDING = [
    name for name, one in measures().items() if "binary" in one.forms and one.forms["binary"].needs == "decision"
]


@pytest.fixture(scope="module")
def undecided() -> Subject:
    return subject_of(package_from_files(files_of(recipe=UNDECIDED, claims=[])))


def whole(subject: Subject, **changes: object) -> dict[str, Exhibit]:
    plan = small_plan(checks=checks_of("binary"), **changes)
    return {one.check: one for one in retest(Bench(subject, plan))}


@pytest.fixture(scope="module")
def silent(undecided: Subject) -> dict[str, Exhibit]:
    """Every check of a yes/no that nobody decides."""
    return whole(undecided)


def test_no_estimate_rests_on_a_decision(silent: dict[str, Exhibit]) -> None:
    decided = [
        (name, one.quantity, one.model)
        for name, exhibit in silent.items()
        for one in exhibit.estimates
        if one.measure in DECIDING and one.value is not None and one.model != "baseline"
    ]
    assert decided == []


def test_every_check_is_written_or_says_that_no_threshold_is_declared(silent: dict[str, Exhibit]) -> None:
    failed = {name: one.answer for name, one in silent.items() if one.state == "failed"}
    refused = {name for name, one in silent.items() if "No threshold is declared" in one.answer}
    assert failed == {}
    assert {"groups", "combinations", "leaving_out", "sensitivity", "threshold"} <= refused
    assert {
        "holdout",
        "cross_validation",
        "calibration",
        "gap",
        "baseline",
        "complexity",
        "challengers",
    } & refused == set()


def test_nothing_but_the_picture_is_shown_along_the_threshold(silent: dict[str, Exhibit]) -> None:
    for name, kind in (("threshold", ThresholdChart), ("group_thresholds", GroupThresholds)):
        drawn = [chart for chart in silent[name].charts if isinstance(chart, kind)]
        assert drawn
        assert [chart.submitted for chart in drawn] == [None] * len(drawn)
        assert silent[name].estimates == ()
    assert not [chart for chart in silent["holdout"].charts if isinstance(chart, MatrixChart)]


def test_the_reviewer_says_where_to_decide(undecided: Subject, subject: Subject) -> None:
    declared = replace(subject, claims=())
    checks = ("holdout", "groups", "threshold", "sensitivity")
    chosen = retest(Bench(undecided, small_plan(checks=checks, threshold=0.5)))
    owner = retest(Bench(declared, small_plan(checks=checks)))
    assert [one.estimates for one in chosen] == [one.estimates for one in owner]
    assert plan_facts(small_plan(threshold=0.25))["threshold"] == "positive when score ≥ 0.25"


def test_the_plan_does_not_decide_over_the_owner(subject: Subject) -> None:
    with pytest.raises(UserError, match=r"The owner declared a threshold of 0\.5, and the plan decides at 0\.4"):
        Bench(subject, small_plan(threshold=0.4))
    assert Bench(subject, small_plan(threshold=0.5)).subject is subject


@pytest.mark.parametrize(
    ("claim", "verdict"),
    [
        ({"measure": "accuracy", "part": "test", "value": "0.7"}, "cannot_be_checked"),
        ({"measure": "accuracy", "part": "test", "value": "0.7", "threshold": 0.5}, "compatible"),
        ({"measure": "auc", "part": "test", "value": "0.75"}, "compatible"),
    ],
    ids=["no threshold", "one of its own", "none needed"],
)
def test_a_claim_that_needs_a_decision(claim: dict[str, object], verdict: str) -> None:
    recipe = {**UNDECIDED, "split": {"test": 0.3, "seed": 1}}
    found = exhibit_of(subject_of(package_from_files(files_of(recipe=recipe, claims=[claim]))), "claims")
    assert [one.verdict for one in found.estimates if one.verdict] == [verdict]
    assert (NO_THRESHOLD in str(found)) == (verdict == "cannot_be_checked")


def test_a_share_needs_a_decision_and_a_base_rate_does_not() -> None:
    rows = binary_rows(3).at(None)
    for name in DECIDING:
        assert (measure(name, rows).value, measure(name, rows).note) == (None, NO_THRESHOLD), name
    assert measure("base_rate", rows).value == pytest.approx(rows.outcomes.mean())
    assert measure("auc", rows).value == measure("auc", binary_rows(3)).value
    with pytest.raises(UserError, match="No threshold is declared"):
        _ = rows.decisions


def test_the_recipe_in_words_says_whether_it_decides() -> None:
    assert recipe_in_words(Recipe(family="logistic")).endswith("; no threshold declared.")
    assert recipe_in_words(Recipe(family="logistic", threshold=0.3)).endswith("; positive when score ≥ 0.3.")


def test_a_reading_is_known_by_the_threshold_it_rests_on(undecided: Subject) -> None:
    """Two versions that differ in the threshold alone share their fits, and must not share what was decided."""
    rows = np.arange(50)
    low, high = (Bench(undecided, small_plan(threshold=at)) for at in (0.2, 0.6))
    wanted = (Wanted("accuracy"), Wanted("auc"))
    readings = [one.figures(rows, wanted) for one in (low, high)]
    assert low.fit(rows).key == high.fit(rows).key
    assert readings[0].key != readings[1].key
    assert low.figures(rows, wanted[1:]).key == high.figures(rows, wanted[1:]).key
    for kind in (
        [SensitivityReading(rows, 1, at) for at in (0.2, 0.6)],
        [FlipReading(rows, "sex", (0.0, 1.0), at) for at in (0.2, 0.6)],
    ):
        assert len({one.key for one in kind}) == 2
        assert max(len(one.key) for one in kind) <= 80
    values = [read(undecided, np.arange(100, 300), reading) for reading in readings]
    assert values[0][0] != values[1][0]
    assert values[0][1] == values[1][1]


def test_a_reading_without_a_threshold_decides_nothing(undecided: Subject) -> None:
    fit = Bench(undecided, small_plan()).fit(np.arange(200))
    with pytest.raises(UserError, match="No threshold is declared"):
        execute(FitJob(fit, (SensitivityReading(np.arange(30), 1, None),)), undecided)
    figures = execute(FitJob(fit, (FigureReading(np.arange(30), (Wanted("accuracy"),)),)), undecided)
    assert np.isnan(next(iter(figures.readings.values()))).all()


def test_rows_behind_have_a_score_and_no_decision(undecided: Subject) -> None:
    bench = Bench(undecided, small_plan(checks=("holdout",)))
    ledger = MemoryLedger()
    for result in run_fits(jobs_of(ask(bench)), bench.subject):
        ledger.keep(result)
    plain = rows_behind(bench, ledger, Behind(model="recipe", part="test"))
    assert [column.name for column in plain.said] == ["score"]
    at = rows_behind(bench, ledger, Behind(model="recipe", part="test", threshold=0.4))
    assert [column.name for column in at.said] == ["score", "decided"]
