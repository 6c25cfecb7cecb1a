"""Claims: what is called reproduced, compatible, overstated or not reproduced, and what can't be checked."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.claims.conventions import values_by_convention
from brookfall.core.check.claims.verdict import (
    NO_REFITS,
    Apart,
    Refits,
    agrees,
    apart_of,
    critical,
    honest_span,
    of_other_rows,
    of_seeds,
)
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.judge.policy import CONVENTIONS
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import ScoredClasses
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.schema import Claim
from brookfall.core.submission.subject import Subject
from tests.core.test_choice import subject as choice_subject
from tests.made import exhibit_of, scored, subject_of_frame


def claim(value: str, measured: str = "auc", **more: object) -> Claim:
    return Claim.model_validate({"measure": measured, "value": value, **more})


# On the owner's own split: other seeds.


def test_a_seed_of_the_recipe_is_compatible_and_none_of_them_is_not() -> None:
    seeds = np.random.default_rng(1).normal(0.83, 0.004, 50)
    assert of_seeds(claim("0.8300"), 0.8300, seeds, 1)[0] == "reproduced"
    assert of_seeds(claim("0.8390"), 0.8300, seeds, 1)[0] == "compatible"
    assert of_seeds(claim("0.8500"), 0.8300, seeds, 1)[0] == "not_reproduced"
    # In either direction: too low is as wrong.
    assert of_seeds(claim("0.8100"), 0.8300, seeds, 1)[0] == "not_reproduced"


def test_an_honest_seed_is_accused_in_at_most_one_package_of_twenty() -> None:
    # One more seed of the same spread, six independent claims together: 1 200 packages, three standard errors of room.
    rng = np.random.default_rng(2)
    accused = 0
    for _ in range(1200):
        verdicts = []
        for _ in range(6):
            seeds = rng.normal(0.8, 0.01, 51)
            verdicts.append(of_seeds(claim(f"{seeds[0]:.6f}"), float(seeds[1]), seeds[1:], 6)[0])
        accused += "not_reproduced" in verdicts
    assert accused / 1200 <= 0.05 + 3 * (0.05 * 0.95 / 1200) ** 0.5


def test_a_recipe_without_chance_must_give_the_claim_itself() -> None:
    same = np.full(50, 0.8312)
    assert of_seeds(claim("0.831"), 0.8312, same, 1)[0] == "reproduced"
    assert of_seeds(claim("0.832"), 0.8312, same, 1)[0] == "not_reproduced"


# On other rows: a prediction interval.


def test_on_other_rows_the_claims_own_rows_count_and_so_do_the_fits() -> None:
    interval = (0.78, 0.82)
    few, as_many = (apart_of(claim("0.86", n=n), 0.80, interval, 0.95, 1600) for n in (100, 1600))
    refitted = apart_of(claim("0.86"), 0.80, interval, 0.95, 1600, Refits(np.array([0.77, 0.80, 0.83])))
    assert few.error > as_many.error
    assert refitted.error > as_many.error
    assert few.z < as_many.z
    assert apart_of(claim("0.86"), 0.80, interval, 0.95, 1600, NO_REFITS) == as_many


def test_the_direction_that_flatters_is_that_of_the_measure() -> None:
    high, low = (apart_of(claim(value, "brier"), 0.15, (0.14, 0.16), 0.95, 900) for value in ("0.30", "0.05"))
    assert of_other_rows(high, 1.645) == "understated"
    assert of_other_rows(low, 1.645) == "overstated"
    # A slope flatters the nearer it lies to 1, from either side.
    near, far = (apart_of(claim(v, "calibration_slope"), 0.7, (0.65, 0.75), 0.95, 900) for v in ("1.00", "1.60"))
    assert of_other_rows(near, 1.645) == "overstated"
    assert of_other_rows(far, 1.645) == "understated"


@pytest.mark.parametrize("of", ["auc", "rmse"])
def test_a_claim_at_the_end_of_the_honest_span_is_where_the_verdict_turns(of: str) -> None:
    interval = (0.77, 0.83)

    def verdict(value: float) -> str:
        return of_other_rows(apart_of(claim(f"{value:.6f}", of), 0.80, interval, 0.95, 700), 1.8)

    middle = claim("0.800000", of)
    low, high = honest_span(middle, 0.80, apart_of(middle, 0.80, interval, 0.95, 700), 1.8)
    assert low < 0.77 < 0.83 < high
    better, worse = ("overstated", "understated") if of == "auc" else ("understated", "overstated")
    assert [verdict(value) for value in (high - 0.0003, high + 0.0003)] == ["compatible", better]
    assert [verdict(value) for value in (low + 0.0003, low - 0.0003)] == ["compatible", worse]


def test_many_claims_take_more_to_accuse_unless_they_say_the_same() -> None:
    alone, three, alike = (critical(one, 1) for one in (np.ones((1, 1)), np.eye(3), np.full((3, 3), 0.999)))
    assert alone == pytest.approx(1.645, abs=1e-3)
    # One-sided Šidák: 1 − 0.95^(1/3) in each.
    assert three == pytest.approx(2.121, abs=0.03)
    assert alike == pytest.approx(alone, abs=0.05)


def test_far_claims_keep_their_order() -> None:
    assert Apart(9.0, 0.1, 20).z > Apart(5.0, 0.1, 20).z > 5
    assert Apart(-9.0, 0.1, 20).z < -5
    assert Apart(0.0, 0.0, 20).z == 0


# On the very scores: conventions.


def test_every_convention_is_found_by_what_it_gives() -> None:
    rng = np.random.default_rng(3)
    outcomes = rng.random(400) < 0.3
    scores = np.clip(np.where(outcomes, 0.55, 0.35) + rng.normal(size=400) * 0.15, 0, 1).round(1)
    rows = scored(outcomes, scores)
    strict = dict(values_by_convention(rows, claim("0.5", "recall"), CONVENTIONS))
    assert strict["above the threshold only"] == pytest.approx((scores > 0.5)[outcomes].mean())
    assert strict["the other class as positive"] == pytest.approx((scores < 0.5)[~outcomes].mean())
    assert list(dict(values_by_convention(rows, claim("0.5", "recall"), CONVENTIONS[1:]))) == [CONVENTIONS[1]]
    turned = measure("f1", scored(~outcomes, 1 - scores, threshold=0.5000001)).value
    assert dict(values_by_convention(rows, claim("0.5", "f1"), CONVENTIONS))[CONVENTIONS[1]] == pytest.approx(turned)


def test_averages_over_classes_are_told_apart() -> None:
    rng = np.random.default_rng(4)
    outcomes = rng.choice(3, 600, p=[0.7, 0.2, 0.1])
    decisions = np.where(rng.random(600) < 0.7, outcomes, rng.integers(0, 3, 600))
    rows = ScoredClasses(key="k", outcomes=outcomes, decisions=decisions, classes=("a", "b", "c"))
    found = dict(values_by_convention(rows, claim("0.5", "recall"), CONVENTIONS))
    # The mean of recalls weighted by their rows is the accuracy, and so is the recall of all rows pooled; one class's
    # recall is read from its own cells.
    accuracy = measure("accuracy", rows).value
    assert found == {
        "classes weighted by rows": pytest.approx(accuracy, abs=0.02),
        "all rows pooled": pytest.approx(accuracy),
    }
    assert abs((measure("recall", rows).value or 0.0) - (accuracy or 0.0)) > 0.005


# The exhibit.


def rows(n: int = 900, seed: int = 5) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    hit = rng.random(n) < 1 / (1 + np.exp(-1.3 * x))
    return pd.DataFrame({"x": x.round(5), "y": np.where(hit, "yes", "no")})


def claimed(*claims: Claim, recipe: dict[str, object] | None = None) -> Exhibit:
    made = subject_of_frame(rows(), "y", Recipe.model_validate(recipe or {"family": "logistic"}), features=("x",))
    return exhibit_of(replace(made, claims=claims), "claims")


def test_what_an_honest_claim_would_be_stands_in_the_table_and_the_answer() -> None:
    found = claimed(claim("0.995", part="test"), claim("0.30", "brier", part="test"))
    assert [one.verdict for one in found.estimates] == ["overstated", "understated"]
    assert found.standing is Standing.OUTSIDE
    assert "where an honest claim lies between 0." in found.answer
    (table,) = found.tables
    assert table.columns[3] == "an honest claim"
    assert all(" to " in (row[3].text or "") for row in table.rows)


def test_too_few_rows_reproduce_nothing() -> None:
    small = subject_of_frame(rows(40), "y", Recipe.model_validate({"family": "logistic"}), features=("x",))
    found = exhibit_of(replace(small, claims=(claim("0.80", part="test"),)), "claims")
    assert [one.verdict for one in found.estimates] == ["cannot_be_checked"]
    assert found.standing is Standing.UNSETTLED
    assert found.lines == ("Can't be checked: AUC, test (too few to judge).",)


def choice_with(*claims: Claim) -> Subject:
    return replace(choice_subject(), claims=claims)


def test_a_claim_on_a_choice_is_looked_at() -> None:
    plan = {"parts": {"kind": "shares", "training": 70, "test": 30, "by": "groups", "stratified": False}}
    wild = exhibit_of(choice_with(claim("0.99", "hit_rate", part="test")), "claims", **plan)
    assert [one.verdict for one in wild.estimates] == ["overstated"]
    assert wild.standing is Standing.OUTSIDE
    assert "occasions" in wild.answer
    value = wild.estimates[0].value
    assert value is not None
    honest = exhibit_of(choice_with(claim(f"{value:.3f}", "hit_rate", part="test")), "claims", **plan)
    assert [one.verdict for one in honest.estimates] == ["compatible"]
    folds = exhibit_of(choice_with(claim("0.7", "hit_rate", method="cross_validation")), "claims", **plan)
    assert [one.verdict for one in folds.estimates] == ["compatible"]
    assert folds.estimates[0].n == 84


def test_agreement_allows_for_libraries_and_no_more() -> None:
    assert agrees(claim("0.83"), 0.8349)
    assert not agrees(claim("0.83"), 0.8351)
    assert agrees(claim("0.8300000"), 0.83049)
    assert not agrees(claim("0.8300000"), 0.83051)
