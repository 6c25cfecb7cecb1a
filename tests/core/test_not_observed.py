"""Rows whose outcome nobody looked at: the role, the bounds by brute force, and what the exhibit says."""

from dataclasses import replace
from itertools import product
from typing import Any

import numpy as np
import pandas as pd
import pytest
from sklearn.metrics import (
    accuracy_score,
    balanced_accuracy_score,
    f1_score,
    precision_score,
    recall_score,
    roc_auc_score,
)

from brookfall.core.check.bench import Bench
from brookfall.core.check.registry import checks
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.not_observed import BOUNDED, Unseen, at_odds, bounds, chances_of, completed, looked_at
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Scored
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from tests.made import said, subject_of_frame

LOGISTIC = Recipe(family="logistic", preprocess=Preprocess(scale="standard"), threshold=0.5)


def rows_of(n: int = 40, seed: int = 2, threshold: float = 0.5, decimals: int = 1) -> Scored:
    rng = np.random.default_rng(seed)
    outcomes = np.arange(n) % 2 == 0
    scores = np.clip(0.5 + 0.2 * outcomes + rng.normal(0, 0.2, n), 0, 1).round(decimals)
    return Scored(key="t", outcomes=outcomes, scores=scores, threshold=threshold)


def by_library(name: str, outcomes: np.ndarray, scores: np.ndarray) -> float:
    if name == "auc":
        return float(roc_auc_score(outcomes, scores))
    if name == "base_rate":
        return float(outcomes.mean())
    decided = scores >= 0.5
    if name == "error_rate":
        return 1 - float(accuracy_score(outcomes, decided))
    if name in ("false_positive_rate", "negative_predictive_value"):
        of_negative = recall_score(~outcomes, ~decided), precision_score(~outcomes, ~decided)
        return 1 - float(of_negative[0]) if name == "false_positive_rate" else float(of_negative[1])
    of = {
        "recall": recall_score,
        "precision": precision_score,
        "accuracy": accuracy_score,
        "f1": f1_score,
        "true_positive_rate": recall_score,
        "positive_predictive_value": precision_score,
        "balanced_accuracy": balanced_accuracy_score,
    }[name]
    return float(of(outcomes, decided))


@pytest.mark.parametrize("name", BOUNDED)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_bounds_are_those_of_all_outcomes_that_there_could_be(name: str, seed: int) -> None:
    # An independent computation: every one of 2⁹ outcomes of nine rows, each measured by scikit-learn. Manski 1990.
    rows = rows_of(seed=seed)
    hidden = np.random.default_rng(seed).random(9).round(1)
    every = [
        by_library(name, np.concatenate([rows.outcomes, given]), np.concatenate([rows.scores, hidden]))
        for given in product([False, True], repeat=9)
    ]
    found = bounds(name, rows, Unseen(hidden))
    assert found.least.value == pytest.approx(min(every))
    assert found.most.value == pytest.approx(max(every))
    low, high = found.least.interval(0.95), found.most.interval(0.95)
    assert low is not None
    assert high is not None
    assert low[0] < min(every) <= max(every) < high[1] or max(every) == 1


def test_the_weight_of_rows_that_stand_for_more() -> None:
    rows, hidden = rows_of(), np.array([0.1, 0.4, 0.6, 0.9])
    heavy = Unseen(hidden, np.full(4, 2.0))
    twice, doubled = bounds("recall", rows, heavy), bounds("recall", rows, Unseen(np.repeat(hidden, 2)))
    assert twice.least.value == pytest.approx(doubled.least.value)
    assert twice.most.value == pytest.approx(doubled.most.value)
    of_auc = [bounds("auc", rows, one) for one in (heavy, Unseen(np.repeat(hidden, 2)))]
    assert of_auc[0].least.value == pytest.approx(of_auc[1].least.value)
    uneven = bounds("auc", rows, Unseen(hidden, np.array([1.0, 2.0, 1.0, 1.0])))
    assert uneven.least.value is None
    assert "count differently" in str(uneven.least.note)


def test_a_measure_whose_extremes_are_not_known_has_no_bounds() -> None:
    with pytest.raises(KeyError, match="the bounds of kappa are not known"):
        bounds("kappa", rows_of(), Unseen(np.array([0.3])))


def test_rows_of_one_group_widen_what_is_said_of_who_was_looked_at() -> None:
    rng = np.random.default_rng(5)
    groups = np.repeat(np.arange(30), 10)
    scores = np.clip(0.5 + 0.2 * rng.normal(size=30)[groups] + 0.02 * rng.normal(size=300), 0, 1)
    seen = rng.random(300) < 0.5
    plain = Scored(key="t", outcomes=rng.random(int(seen.sum())) < 0.5, scores=scores[seen], threshold=0.5)
    in_groups = replace(plain, clusters=groups[seen])
    told = [
        measure("auc", looked_at(rows, Unseen(scores[~seen], None, clusters))).interval(0.95)
        for rows, clusters in ((plain, None), (in_groups, groups[~seen]))
    ]
    widths = [high - low for low, high in filter(None, told)]
    assert len(widths) == 2
    assert widths[0] != pytest.approx(widths[1])
    # A group that is looked at in part stays one group.
    whole = completed(in_groups, Unseen(scores[~seen], None, groups[~seen]), np.ones(int((~seen).sum()), dtype=bool))
    assert whole.n_clusters == 30


@pytest.mark.parametrize("odds", [0, -2, "twice", True, 1e9])
def test_odds_that_are_none_are_refused(odds: Any) -> None:
    found = exhibit(subject(), odds_ratio=odds)
    assert found.state == "not_applicable"
    assert "must be a number from 1 to 100" in found.answer


def test_odds_of_one_leave_calibrated_figures_as_they_are_and_more_raise_the_share() -> None:
    rng = np.random.default_rng(7)
    scores = rng.random(4000)
    known = Scored(key="t", outcomes=rng.random(4000) < scores, scores=scores, threshold=0.5)
    hidden = Unseen(rng.random(4000))
    assert at_odds("base_rate", known, hidden, 1.0).value == pytest.approx(0.5, abs=0.02)
    chance = chances_of(known, hidden, 3.0)
    odds = chance / (1 - chance)
    plain = chances_of(known, hidden, 1.0)
    assert odds == pytest.approx(3 * plain / (1 - plain))
    # A row that counts in part as either outcome is one row.
    assert at_odds("base_rate", known, hidden, 3.0).n == at_odds("auc", known, hidden, 3.0).n == 8000
    assert at_odds("recall", known, hidden, 3.0).n == known.events + 4000
    shares = [at_odds("base_rate", known, hidden, ratio).value or 0.0 for ratio in (0.1, 0.5, 1.0, 2.0, 10.0)]
    assert shares == sorted(shares)
    ends = bounds("base_rate", known, hidden)
    assert (ends.least.value or 0) < shares[0]
    assert shares[-1] < (ends.most.value or 1)


def test_what_is_completed_keeps_groups_apart() -> None:
    rows = Scored(
        key="t", outcomes=np.array([True, False]), scores=np.array([0.9, 0.1]), threshold=0.5, clusters=np.array([4, 4])
    )
    found = completed(rows, Unseen(np.array([0.3, 0.4])), np.array([True, False]))
    assert found.clusters is not None
    assert found.clusters.tolist() == [4, 4, 5, 6]


def inspected(n: int = 2000, seed: int = 3, regard: float = 3.0) -> pd.DataFrame:
    """Homes of which those with a high old score were rather looked at; others have an empty outcome."""
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=(2, n)).round(4)
    hazard = rng.random(n) < 1 / (1 + np.exp(-(1.2 * x + 0.5 * z)))
    looked = rng.random(n) < 1 / (1 + np.exp(-regard * x))
    return pd.DataFrame(
        {
            "x": x,
            "z": z,
            "looked": np.where(looked, "yes", "no"),
            "found": np.where(looked, np.where(hazard, "yes", "no"), ""),
        }
    )


def subject(frame: pd.DataFrame | None = None, **roles: Any) -> Subject:
    made = inspected() if frame is None else frame
    return subject_of_frame(made, "found", LOGISTIC, "binary", **{"positive": "yes", "observed": "looked", **roles})


def exhibit(of: Subject, check: str = "not_observed", **settings: Any) -> Exhibit:
    plan = standard_plan(2, given_parts=False).model_copy(
        update={"checks": (check,), "settings": {"not_observed": settings}}
    )
    return retest(Bench(of, plan))[0]


def test_rows_that_nobody_looked_at_are_never_learned_from_nor_judged() -> None:
    of, frame = subject(), inspected()
    looked = np.flatnonzero(frame["looked"] == "yes")
    assert of.rows.tolist() == looked.tolist()
    assert of.unobserved.tolist() == np.flatnonzero(frame["looked"] == "no").tolist()
    assert of.features == ("x", "z")
    split = Bench(of, standard_plan(2, given_parts=False)).split
    assert np.isin(split.all_parts, looked).all()
    # What stands in the cells of rows not looked at is not read.
    filled = subject(frame.assign(found=frame["found"].replace("", "yes")))
    assert (filled.target.values[looked] == of.target.values[looked]).all()
    assert not filled.target.hits[of.unobserved].any()


def test_a_gap_in_the_target_without_the_role_is_refused_and_the_role_named() -> None:
    with pytest.raises(UserError, match="The target is missing") as found:
        _ = subject(observed=None).target
    assert "(observed)" in found.value.todo


def test_a_column_that_says_neither_is_refused_with_its_row() -> None:
    frame = inspected()
    frame.loc[4, "looked"] = "perhaps"
    with pytest.raises(UserError, match="neither yes nor no") as found:
        _ = subject(frame).target
    assert found.value.row == 6
    with pytest.raises(UserError, match="No row's outcome"):
        _ = subject(inspected().assign(looked="no")).target


def test_the_exhibit_says_who_was_looked_at_and_what_the_others_could_hide() -> None:
    found = exhibit(subject(), odds_ratio=3)
    assert found.state == "done"
    assert found.standing is None
    assert found.answer.startswith("AUC of all rows lies between ")
    assert "more often those with higher scores" in said(found)
    looked = next(one for one in found.estimates if one.measure == "looked_at_auc")
    assert looked.low is not None
    assert looked.low > 0.8
    ends = {one.model: one.value or 0.0 for one in found.estimates if one.measure == "recall"}
    assert ends["bound:least"] < ends["odds:3"] < ends["bound:most"]
    assert ends["bound:least"] < ends["recipe"] < ends["bound:most"]


def test_rows_looked_at_without_regard_are_said_to_be_so() -> None:
    found = exhibit(subject(inspected(regard=0.0)))
    assert "without regard to the score" in said(found)


def test_the_bounds_hold_the_truth_where_looking_was_chosen() -> None:
    """The truth is planted: what recall and the share of positives are when all rows are looked at."""
    frame = inspected(3000, seed=11)
    rng = np.random.default_rng(11)
    x, z = rng.normal(size=(2, 3000)).round(4)
    hazard = rng.random(3000) < 1 / (1 + np.exp(-(1.2 * x + 0.5 * z)))
    assert (frame["x"] == x).all()
    found = exhibit(subject(frame))
    ends = {one.model: one.value or 0.0 for one in found.estimates if one.measure == "base_rate"}
    assert ends["bound:least"] < hazard.mean() < ends["bound:most"]
    # Of those looked at more are positive than of all; rows with the same score are alike here, so odds of 1 tell it.
    assert ends["recipe"] > hazard.mean() + 0.1
    assert ends["odds:0.5"] < hazard.mean() < ends["odds:2"]


def test_it_is_asked_only_where_a_column_says_what_was_looked_at() -> None:
    assert "not_observed" not in standard_plan(1, given_parts=False).checks
    assert "not_observed" in standard_plan(1, given_parts=False, observed=True).checks
    assert checks()["not_observed"].question == 3
    plain = subject_of_frame(inspected().query("looked == 'yes'").drop(columns="looked"), "found", LOGISTIC)
    assert exhibit(plain).state == "not_applicable"


def test_the_profile_tells_them_apart() -> None:
    found = exhibit(subject(), "profile")
    n = int((inspected()["looked"] == "no").sum())
    assert f"Of {n} rows the outcome was not looked at" in said(found).replace("\u202f", "")
