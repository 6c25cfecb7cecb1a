"""Models side by side: the same rows for all, told apart only where the intervals say so."""

from typing import Any

import pandas as pd
import pytest

from brookfall.core.check.bench import BASELINE, OUT_OF_FOLD, Bench
from brookfall.core.check.check import Written
from brookfall.core.evidence.chart import StripChart
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import Rows, gather
from brookfall.core.fit.run import run_fits
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import measure
from brookfall.core.plan.plan import InUse
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.compare_models import best_of, compare_models
from brookfall.core.submission.subject import subject_of
from tests.core import test_outcomes as made
from tests.core.test_supplied import BY_KEY, LOGISTIC, binary_scores, opened, parted
from tests.core.test_unseen import frame, plan, subject


def bench(**changes: Any) -> Bench:
    used = InUse(version="0.9", recipe=Recipe(family="logistic"), features=("zone",))
    return Bench(subject(data=frame(800)), plan("challengers", in_use=used.model_dump(), **changes))


def compared(on: Bench, names: list[str], part: str, main: str = "auc") -> tuple[Written, Rows, MemoryLedger]:
    chosen = [one for one in on.candidates.values() if one.name in names]
    ledger = MemoryLedger()
    for result in run_fits(gather([need for one in chosen for need in one.needs(part)]), on.subject):
        ledger.keep(result)
    return *compare_models(on, ledger, chosen, part, main), ledger


def test_every_model_of_a_case_can_be_compared() -> None:
    names = bench().candidates
    assert {"recipe", "baseline", "in_use", "tree", "forest"} <= set(names)
    assert names["recipe"].parts == (OUT_OF_FOLD, "training", "test")
    assert names["tree"].parts == names["recipe"].parts
    assert names["in_use"].words == "0.9, in use"
    assert "logistic" in names


def test_the_ranking_is_by_the_measure_and_the_answer_names_who_comes_first() -> None:
    on = bench()
    written, rows, ledger = compared(on, ["recipe", "baseline", "in_use", "naive_bayes"], OUT_OF_FOLD)
    assert rows.tolist() == on.split.cross_validated.tolist()
    values = {e.model: e.value for e in written.estimates("comparison") if e.measure == "auc"}
    assert values["recipe"] == measure("auc", on.submitted.out_of_fold(ledger).scored).value
    assert values["baseline"] == 0.5
    strip = written.charts[0]
    assert isinstance(strip, StripChart)
    ranked = [written.estimates("comparison")[row.estimate].value or 0 for row in strip.groups[0].rows]
    assert ranked == sorted(ranked, reverse=True)
    assert len({row.colour for row in strip.groups[0].rows}) == 4
    assert written.answer.startswith("On the same 560 out-of-fold rows ")
    # Two that learn from the same columns can't be told apart; one that is blind to them can.
    assert "can't be told apart from" in written.answer
    assert "0.9, in use" not in written.answer
    assert {e.n for e in written.estimates("comparison")} == {560}
    assert written.standing is None


def test_by_a_loss_the_least_comes_first() -> None:
    written, _, _ = compared(bench(), ["recipe", "in_use"], OUT_OF_FOLD, "brier")
    assert written.answer.startswith(
        "On the same 560 out-of-fold rows the submitted recipe comes first of 2 by Brier score"
    )
    assert written.answer.endswith("it is told apart from the other one shown.")


def test_only_rows_that_all_have_scored_count() -> None:
    gappy = binary_scores().reset_index(drop=True).astype({"p": object})
    gappy.loc[:19, "p"] = ""
    package = opened("binary", pd.DataFrame(gappy), BY_KEY, parted(), recipe=LOGISTIC)
    on = Bench(subject_of(package), made.plan_for("binary", checks=["holdout"], parts={"kind": "given"}))
    written, rows, _ = compared(on, ["recipe", "scores"], "test")
    assert len(rows) == 100
    assert {e.n for e in written.estimates("comparison") if e.measure == "auc"} == {100}


@pytest.mark.parametrize(("outcome", "main"), [("multiclass", "balanced_accuracy"), ("number", "r2")])
def test_other_outcomes(outcome: str, main: str) -> None:
    on = Bench(made.subject(outcome), made.plan_for(outcome, checks=["holdout"]))
    written, _, _ = compared(on, ["recipe", "baseline"], "test", main)
    assert "the submitted recipe comes first of 2" in written.answer
    assert all(e.low is not None or e.note for e in written.estimates("comparison"))


def test_too_few_too_many_and_none_in_common_are_told() -> None:
    on = bench()
    baseline = on.candidates[BASELINE]
    with pytest.raises(UserError, match="1 models are chosen"):
        compare_models(on, MemoryLedger(), [baseline], "test", "auc")
    with pytest.raises(UserError, match="14 models are chosen"):
        compare_models(on, MemoryLedger(), [baseline] * 14, "test", "auc")
    with pytest.raises(UserError, match="no measure 'r2'"):
        compare_models(on, MemoryLedger(), [baseline, baseline], "test", "r2")
    with pytest.raises(UserError, match="no scores of elsewhere by this model: decision tree"):
        compare_models(on, MemoryLedger(), [on.candidates["tree"], baseline], "elsewhere", "auc")


def test_a_comparison_starts_with_the_best_and_says_no_more_than_is_shown() -> None:
    on = bench(own_challengers=[{"name": "stump", "recipe": {"family": "tree", "settings": {"leaves": 2}}}])
    every = [one for one in on.candidates.values() if one.name in ("recipe", "baseline", "in_use", "tree", "stump")]
    ledger = MemoryLedger()
    for result in run_fits(gather([need for one in every for need in one.needs("test")]), on.subject):
        ledger.keep(result)
    values = {one.name: measure("auc", one.scored(ledger, "test").scored).value or 0 for one in every}
    chosen = [one.name for one in best_of(ledger, every, "test", "auc", 3)]
    best = sorted((name for name in values if name != "recipe"), key=lambda name: -values[name])[:2]
    assert set(chosen) == {"recipe", *best}
    written, _ = compare_models(on, ledger, every, "test", "auc")
    assert "comes first of 5 by AUC" in written.answer
    assert "every other" not in written.answer


def test_the_name_of_a_challenger_is_its_own() -> None:
    recipe = {"family": "tree", "settings": {"leaves": 2}}
    for name in ("forest", "recipe"):
        with pytest.raises(ValueError, match=f"the name {name} of a challenger is taken"):
            bench(own_challengers=[{"name": name, "recipe": recipe}])
    with pytest.raises(UserError, match="the challenger wrong"):
        _ = bench(own_challengers=[{"name": "wrong", "recipe": {"family": "linear"}}]).challengers
