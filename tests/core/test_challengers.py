"""Challengers: on the same folds, ranked, bracketed, judged; what fails is told and the others go on."""

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.better_model import brackets_of
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.execute import FitResult, execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import standard_measure
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import ask, evaluate, jobs_of, retest
from brookfall.core.submission.subject import Subject
from tests.core.test_unseen import frame, plan, subject
from tests.made import binary_rows, scored, subject_of_frame


def small(**changes: Any) -> Plan:
    return plan("challengers", **{"cross_validation": {"folds": 3, "repeats": 1}, **changes})


def exhibit(of: Subject, **changes: Any) -> Exhibit:
    return retest(Bench(of, small(**changes)))[0]


@pytest.fixture(scope="module")
def found() -> Exhibit:
    return exhibit(subject(data=frame(300)))


def values(found: Exhibit, measure: str = "auc") -> dict[str, float]:
    return {one.model: one.value for one in found.estimates if one.measure == measure and one.value is not None}


def test_the_ranking_is_by_the_main_measure(found: Exhibit) -> None:
    ranked = [found.estimates[row.estimate].value for row in found.charts[0].groups[0].rows]
    assert ranked == sorted(ranked, reverse=True)
    assert len(ranked) == len(values(found)) == 10
    assert [row[0].text for row in found.tables[0].rows][ranked.index(values(found)["recipe"])] == "as submitted"


def test_all_stand_on_the_same_rows(found: Exhibit) -> None:
    assert len({one.n for one in found.estimates}) == 1
    assert {one.part for one in found.estimates} == {"out_of_fold"}


def test_the_submitted_folds_are_shared_and_not_fitted_twice() -> None:
    both = Plan.model_validate({**small().model_dump(), "checks": ("cross_validation", "challengers")})
    bench = Bench(subject(data=frame(300)), both)
    assert len(jobs_of(ask(bench))) == 3 * (1 + len(bench.challengers))


def test_a_poor_model_is_beaten_by_more_than_the_limit() -> None:
    poor = replace(subject(data=frame(900)), recipe=Recipe(family="tree", settings={"leaves": 2}))
    beaten = exhibit(poor, cross_validation={"folds": 10, "repeats": 1})
    assert beaten.standing is Standing.OUTSIDE
    assert beaten.answer.startswith("A challenger does better by more than the limit: AUC 0.")


def test_a_sound_model_is_no_worse(found: Exhibit) -> None:
    assert found.standing in (Standing.WITHIN, Standing.NEAR, Standing.UNSETTLED)
    assert found.answer.startswith(
        ("No challenger is better by more than the limit", "These rows can't tell whether", "It beats every challenger")
    )


def test_itself_is_no_challenger() -> None:
    names = {one.recipe.family for one in Bench(subject(), small()).challengers}
    assert "logistic" in names  # the penalised one is another model
    same = replace(subject(), recipe=Recipe(family="forest"))
    assert "forest" not in {one.recipe.family for one in Bench(same, small()).challengers}


def test_a_family_too_slow_for_so_many_rows_is_left_out() -> None:
    many = subject(data=frame(5200))
    names = {one.recipe.family for one in Bench(many, small(cross_validation={"folds": 10, "repeats": 1})).challengers}
    assert "support_vectors" not in names
    assert "forest" in names


def test_a_number_has_challengers_of_its_own() -> None:
    data = frame(300).assign(y=lambda d: 3 * d["x"] - d["z"])
    of = subject_of_frame(data, "y", Recipe(family="linear"), "number", protected=("sex",), ignore=("day",))
    ten = {"folds": 10, "repeats": 1}
    r2 = exhibit(of, outcome="number", main_measure=standard_measure("number"), cross_validation=ten)
    assert r2.standing is Standing.WITHIN
    assert "naive Bayes" not in [row[0].text for row in r2.tables[0].rows]
    rmse = exhibit(of, outcome="number", main_measure="rmse")
    assert rmse.standing is None  # how many units too many are, no policy can say
    ranked = [rmse.estimates[row.estimate].value for row in rmse.charts[0].groups[0].rows]
    assert ranked == sorted(ranked)  # the smallest error first
    gains = [one.value for one in rmse.estimates if one.measure == "rmse_difference"]
    assert min(gains) > 0  # an exact line beats all of them, and a gain is positive


def test_what_fails_is_told_and_the_others_go_on() -> None:
    bench = Bench(subject(data=frame(300)), small())
    (asked,) = ask(bench)
    ledger = MemoryLedger()
    for job in jobs_of((asked,)):
        broken = job.fit.recipe.family == "neural_network"
        ledger.keep(
            FitResult(job.fit.key, {}, 0.1, failure="it did not converge") if broken else execute(job, bench.subject)
        )
    told = evaluate(asked, bench, ledger)
    assert told.state == "done"
    assert told.answer.endswith("Neural network could not be fitted; the table says why.")
    assert told.tables[0].rows[-1][1].text == "failed: it did not converge"
    assert len(told.charts[0].groups[0].rows) == 9


def test_leave_one_out_is_too_many_folds() -> None:
    refused = exhibit(subject(data=frame(300)), cross_validation={"kind": "leave_one_out"})
    assert refused.state == "not_applicable"
    assert "let another part decide" in refused.answer


def test_another_part_can_decide() -> None:
    judged = exhibit(subject(data=frame(400)), deciding_part="test")
    assert {one.part for one in judged.estimates} == {"test"}
    assert {one.n for one in judged.estimates} == {120}


def test_brackets_join_what_can_not_be_told_apart() -> None:
    rng = np.random.default_rng(1)
    outcomes = np.arange(400) % 2 == 0
    strong = scored(outcomes, outcomes + rng.normal(0, 0.5, 400))
    same = scored(outcomes, np.where(outcomes, 1, 0) + rng.normal(0, 0.5, 400))
    weak = scored(outcomes, outcomes * 0.3 + rng.normal(0, 1, 400))
    differ = partial(paired, "auc")
    assert brackets_of([strong, same, weak], differ, 0.95) == ((0, 1),)
    assert brackets_of([strong, weak], differ, 0.95) == ()
    one = binary_rows(3, 300)
    assert brackets_of([one, one, one], differ, 0.95) == ((0, 2),)


def test_same_seed_same_bits(found: Exhibit) -> None:
    again = exhibit(subject(data=frame(300)))
    assert again.estimates == found.estimates
    assert (again.charts, again.tables) == (found.charts, found.tables)
    assert set(found.provenance.fit_seconds) >= {"as submitted", "random forest"}
