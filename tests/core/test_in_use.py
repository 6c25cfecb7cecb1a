"""Against the version in use: a better one is told from a worse one, and the swap set adds up."""

import re
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.run import run_fits
from brookfall.core.measure.registry import standard_measure
from brookfall.core.measure.scored import Scored
from brookfall.core.plan.plan import InUse, Plan
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import ask, evaluate, jobs_of, retest
from tests.core import test_outcomes as made
from tests.core.test_unseen import frame, plan, subject
from tests.made import said

BLIND = InUse(version="0.9", recipe=Recipe(family="logistic"), features=("zone",))
SAME = InUse(version="0.9", recipe=Recipe(family="logistic"))


def exhibit(used: InUse | None, **changes: Any) -> Exhibit:
    asked = plan("in_use", in_use=used and used.model_dump(), **changes)
    return retest(Bench(subject(data=frame(1500)), asked))[0]


def by_place(found: Exhibit) -> dict[tuple[str, str, str | None], Estimate]:
    return {(e.measure, e.model, e.part): e for e in found.estimates}


def test_a_better_version_is_said_to_do_better() -> None:
    found = exhibit(BLIND)
    assert found.standing == Standing.WITHIN
    assert found.answer.startswith("It does better than what it would replace: AUC 0.")
    assert "of 0.9, in use, on" in found.answer
    gain = next(e for e in found.estimates if e.measure == "auc_difference")
    assert gain.value is not None
    assert gain.value > 0.2
    assert gain.versus is not None
    assert gain.versus.model == "in_use"


def test_a_worse_version_is_outside() -> None:
    better = InUse(version="1.0", recipe=Recipe(family="logistic"))
    data = frame(1500)
    weak = replace(subject(data=data), recipe=Recipe(family="tree", settings={"depth": 1}))
    found = retest(Bench(weak, plan("in_use", in_use=better.model_dump())))[0]
    assert found.standing == Standing.OUTSIDE
    assert found.answer.startswith("It does worse than what it would replace, by more than the limit: ")


def test_the_same_version_changes_nothing_and_costs_no_fit() -> None:
    bench = Bench(subject(), plan("in_use", in_use=SAME.model_dump()))
    (asked,) = ask(bench)
    assert len(jobs_of((asked,))) == len(bench.deciding_needs)
    found = retest(bench)[0]
    assert "It is not worse than what it would replace by more than the limit" in found.answer
    assert found.answer.endswith("They choose the very same rows.")
    assert by_place(found)["share", "recipe", "swapped_in"].value == 0
    assert by_place(found)["base_rate", "recipe", "swapped_in"].note == "no such row"


def test_the_swap_set_adds_up_and_its_rates_are_those_of_its_rows() -> None:
    bench = Bench(subject(data=frame(1500)), plan("in_use", in_use=BLIND.model_dump()))
    (asked,) = ask(bench)
    ledger = MemoryLedger()
    for result in run_fits(jobs_of((asked,)), bench.subject):
        ledger.keep(result)
    found = by_place(evaluate(asked, bench, ledger))
    new, old = bench.deciding(ledger).scored, bench.in_use.scored(ledger, bench.plan.deciding_part).scored
    assert isinstance(new, Scored)
    assert isinstance(old, Scored)
    sets = {
        "swapped_in": new.decisions & ~old.decisions,
        "swapped_out": ~new.decisions & old.decisions,
        "chosen_by_both": new.decisions & old.decisions,
        "chosen_by_neither": ~new.decisions & ~old.decisions,
    }
    for name, rows in sets.items():
        assert found["share", "recipe", name].value == pytest.approx(rows.mean())
        rate = found["base_rate", "recipe", name]
        assert rate.n == rows.sum()
        if rows.any():
            assert rate.value == pytest.approx(new.outcomes[rows].mean())
    assert sum(found["share", "recipe", name].value or 0 for name in sets) == pytest.approx(1)


def test_the_swap_is_said_in_words_that_follow_from_its_interval() -> None:
    found = exhibit(BLIND)
    apart = next(e for e in found.estimates if e.measure == "base_rate_difference")
    assert apart.low is not None
    assert apart.low > 0
    assert found.lines[0].endswith("the exchange finds more of them.")
    assert re.search(r"\d+ rows would be chosen anew and \d+ rows no more", found.answer)


def test_its_own_threshold_decides_for_the_version_in_use() -> None:
    shy = InUse(version="0.9", recipe=Recipe(family="logistic", threshold=0.999))
    found = by_place(exhibit(shy))
    assert found["share", "recipe", "chosen_by_both"].value == pytest.approx(0, abs=0.02)
    assert found["share", "recipe", "swapped_out"].value == 0


def test_none_named_and_columns_that_are_gone_are_told() -> None:
    none = exhibit(None)
    assert (none.state, "names no version in use" in none.answer) == ("not_applicable", True)
    gone = exhibit(InUse(version="0.9", recipe=Recipe(family="logistic"), features=("x", "shoe_size")))
    assert (gone.state, "0.9 learns from shoe_size" in gone.answer) == ("not_applicable", True)
    other = exhibit(InUse(version="0.9", recipe=Recipe(family="linear")))
    assert (other.state, "can't be fitted to a binary outcome" in other.answer) == ("not_applicable", True)


@pytest.mark.parametrize(("outcome", "family"), [("multiclass", "naive_bayes"), ("number", "tree")])
def test_other_outcomes_say_how_far_they_differ(outcome: str, family: str) -> None:
    used = InUse(version="old", recipe=Recipe(family=family))
    asked = Plan.model_validate({**made.plan_for(outcome, checks=["in_use"]).model_dump(), "in_use": used.model_dump()})
    found = retest(Bench(made.subject(outcome), asked))[0]
    assert found.state == "done"
    measures = {e.measure for e in found.estimates}
    assert ("flipped" in measures) == (outcome == "multiclass")
    assert ("nearer" in measures) == (outcome == "number")
    assert standard_measure(outcome) in measures
    words = {"multiclass": "of the rows otherwise; of those", "number": "comes nearer on"}[outcome]
    assert words in said(found)
    assert all(e.low is not None or e.note for e in found.estimates)


def test_the_standard_plan_has_it_only_with_a_version_in_use() -> None:
    assert "in_use" not in standard_plan(1, given_parts=False).checks
    assert "in_use" in standard_plan(3, given_parts=False, in_use=SAME).checks


def test_marking_its_features_differently_is_another_fit() -> None:
    bench = Bench(subject(), plan("in_use", in_use=BLIND.model_dump()))
    own, other = bench.fit(np.arange(100)), bench.fit(np.arange(100), BLIND.recipe, BLIND.features)
    assert own.key != other.key
    assert other.features == ("zone",)
