"""Scores and differences over folds: what is said of a recipe holds the variance of refitting it, and no interval is of
width zero or leaves what the measure can be."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

from brookfall.core.candidate.candidate import OUT_OF_FOLD
from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.refits import gain_of, score_of
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.limit import Limit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import FitJob
from brookfall.core.measure.paired_tests import corrected_difference, corrected_mean, corrected_mean_of_rows
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.predictions import Supplied
from brookfall.core.submission.subject import Subject
from tests.core.test_answers import exhibit, policy
from tests.core.test_memory import frame, subject
from tests.core.test_unseen import plan
from tests.made import bench_with, estimate, examples, exhibit_of, subject_of_frame

shares = st.lists(st.floats(0, 1), min_size=2, max_size=12)


@given(shares, st.integers(40, 4000), st.floats(0.5, 0.999))
@examples(60)
def test_a_mean_share_has_an_interval_inside_0_to_1_that_holds_it_and_is_never_a_point(
    values: list[float], n: int, level: float
) -> None:
    figure = corrected_mean(np.array(values), n, 1 / max(1, len(values) - 1), share=True)
    low, high = figure.interval(level) or (np.nan, np.nan)
    assert figure.value == pytest.approx(np.mean(values))
    assert 0 <= low <= figure.value + 1e-12
    assert figure.value - 1e-12 <= high <= 1
    assert low < high


@given(st.lists(st.floats(-1, 1), min_size=2, max_size=12), st.integers(40, 4000))
@examples(60)
def test_a_difference_of_shares_stays_between_minus_1_and_1_and_is_never_a_point(values: list[float], n: int) -> None:
    low, high = corrected_difference(np.array(values), n, 0.1, share=True).interval(0.95) or (np.nan, np.nan)
    assert -1 <= low < high <= 1


def test_twelve_rows_that_differ_by_a_half_in_every_fold_leave_much_open() -> None:
    low, high = corrected_difference(np.full(3, 0.5), 12, 0.5, share=True).interval(0.95) or (np.nan, np.nan)
    assert low < 0.3
    assert high > 0.7


def test_folds_in_the_unit_of_the_target_that_all_say_the_same_have_no_interval() -> None:
    figure = corrected_difference(np.full(4, 2.5), 100, 0.25)
    assert (figure.value, figure.interval(0.95)) == (2.5, None)
    assert figure.note == "all folds say the same, so there is no spread to take an interval from"


def test_what_can_not_be_said_says_why() -> None:
    assert corrected_difference(np.array([0.1]), 100, 0.25).note == "one fold has no spread"
    assert corrected_mean(np.array([0.1, np.nan]), 100, 0.25).note == "in one fold it has no value"
    assert (
        corrected_mean_of_rows(np.ones(4), np.ones(4), np.zeros(4, dtype=np.int64), 0.5).note
        == "one fold has no spread"
    )


def test_a_mean_difference_is_the_corrected_t_by_hand() -> None:
    values = np.array([0.02, 0.05, 0.01, 0.04, 0.03])
    error = np.sqrt((1 / 5 + 1 / 4) * values.var(ddof=1))
    expected = stats.t(4, values.mean(), error).interval(0.95)
    assert corrected_difference(values, 500, 1 / 4).interval(0.95) == pytest.approx(expected)


def test_refits_that_change_little_take_no_t_of_a_handful_of_folds() -> None:
    rng = np.random.default_rng(0)
    folds = np.repeat(np.arange(5), 200)
    rows = rng.normal(0.1, 1, 1000)
    refitted = rows + np.repeat([-0.6, 0.5, 0.1, -0.4, 0.4], 200)
    few, many = (corrected_mean_of_rows(values, np.ones(1000), folds, 0.25) for values in (rows, refitted))
    narrow, wide = (np.ptp(figure.interval(0.95) or (np.nan, np.nan)) for figure in (few, many))
    plain = 2 * 1.96 * rows.std() / np.sqrt(1000) * np.sqrt(5 * 0.45)
    assert narrow == pytest.approx(plain, rel=0.25)
    assert wide > 5 * narrow


def test_rows_of_no_weight_count_for_nothing() -> None:
    rng = np.random.default_rng(1)
    values, folds = rng.normal(size=300), np.arange(300) % 3
    weights = (np.arange(300) < 240).astype(float)
    kept = weights > 0
    both = (
        corrected_mean_of_rows(values, weights, folds, 0.5).value,
        corrected_mean_of_rows(values[kept], np.ones(240), folds[kept], 0.5).value,
    )
    assert both[0] == pytest.approx(both[1])


# The gap.


def test_the_gap_over_folds_is_that_of_plain_fits() -> None:
    of = subject(rows=frame(600))
    at = bench_with(of, "gap", cross_validation={"folds": 5})
    found = exhibit_of(of, "gap", cross_validation={"folds": 5})
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in ("x", "z")])
    colours = np.array(of.table.column("colour").texts())
    dummies = np.column_stack([colours == "green", colours == "red"])
    design = np.column_stack([raw, dummies])
    gaps = []
    for fold in at.split.folds:
        made = LogisticRegression(C=np.inf, tol=1e-10, max_iter=5000).fit(
            design[fold.train], of.target.hits[fold.train]
        )
        seen, unseen = (
            roc_auc_score(of.target.hits[rows], made.predict_proba(design[rows])[:, 1])
            for rows in (fold.train, fold.test)
        )
        gaps.append(seen - unseen)
    gap = next(e for e in found.estimates if e.measure == "auc_gap" and e.versus and e.versus.part == "out_of_fold")
    assert gap.value == pytest.approx(np.mean(gaps), abs=1e-6)
    assert gap.method == "corrected_t"


def test_one_gap_is_judged_and_the_other_stands_below() -> None:
    found = exhibit_of(subject(rows=frame(600)), "gap", cross_validation={"folds": 10})
    (judged,) = [one for one in found.estimates if one.limit is not None]
    both = [e for e in found.estimates if e.measure == "auc_gap" and e.versus and e.versus.part != "validation"]
    other = next(one for one in both if one is not judged)
    assert len(both) == 2
    assert judged.high - judged.low < other.high - other.low
    assert any("the gap is " in line and f"{other.value:.3f}".replace("-", "−") in line for line in found.lines)


@pytest.mark.parametrize(
    ("outcome", "measure", "field", "most"),
    [
        ("binary", "accuracy", "gap", 0.05),
        ("number", "r2", "gap_r2", 0.10),
        ("number", "rmse", "gap_loss", None),
        ("binary", "log_loss", "gap_loss", None),
    ],
)
def test_the_limit_on_a_gap_goes_by_the_measure(outcome: str, measure: str, field: str, most: float | None) -> None:
    of = subject(outcome, "linear" if outcome == "number" else "logistic")
    found = exhibit(of, "gap", main_measure=measure)
    (judged,) = [one for one in found.estimates if one.limit is not None]
    assert judged.quantity == measure
    if most is None:
        unseen = estimate(found, measure, part=judged.versus.part)
        most = 0.1 * unseen.value
    assert judged.limit.at_most == pytest.approx(most)
    wide = exhibit(of, "gap", main_measure=measure, policy=policy(**{field: Limit(at_most=3, ideal=0)}))
    assert wide.standing == "within"


def test_leaving_out_single_rows_leaves_the_test_part_to_judge() -> None:
    found = exhibit_of(subject("number", "linear", frame(120)), "gap", cross_validation={"kind": "leave_one_out"})
    (judged,) = [one for one in found.estimates if one.limit is not None]
    assert judged.versus.part == "test"


def test_supplied_scores_are_judged_on_their_own_parts() -> None:
    rows = frame(500)
    made = replace(subject(rows=rows), recipe=None)
    rng = np.random.default_rng(2)
    right = (rows["flag"] == "yes").to_numpy()
    scores = np.where(np.arange(500) < 300, np.where(right, 0.9, 0.1), 0.5 + 0.1 * (right - 0.5)) + rng.normal(
        0, 0.08, 500
    )
    parts = {"training": np.arange(300), "test": np.arange(300, 500)}
    found = exhibit_of(replace(made, supplied=Supplied(scores, None, parts)), "gap")
    assert found.standing == "outside"
    assert "(supplied scores)" not in found.answer
    assert found.answer.startswith("It is right on every row it was trained on. AUC is 1.000 on training rows and 0.")


# Two recipes.


def test_a_score_a_difference_and_a_sentence_are_of_the_same_folds() -> None:
    of = subject(rows=frame(400))
    at = Bench(of, plan("challengers", cross_validation={"folds": 5, "repeats": 2}))
    ledger = MemoryLedger()
    tree = next(one for one in at.challengers if one.name == "tree")
    for need in (*at.submitted.fold_needs, *tree.needs(OUT_OF_FOLD)):
        ledger.keep(execute(FitJob(need.fit, (need.reading,)), of))
    gained = gain_of(at, ledger, "auc", at.submitted, tree, OUT_OF_FOLD)
    ours, theirs = (score_of(at, ledger, "auc", one, OUT_OF_FOLD) for one in (at.submitted, tree))
    assert gained.value == pytest.approx(ours.value - theirs.value)
    assert {gained.method, ours.method, theirs.method} == {"corrected_t"}
    back = gain_of(at, ledger, "auc", tree, at.submitted, OUT_OF_FOLD)
    assert back.value == pytest.approx(-gained.value)
    lost = gain_of(at, ledger, "log_loss", at.submitted, tree, OUT_OF_FOLD)
    assert lost.value > 0


def test_on_a_test_part_the_very_fits_are_compared() -> None:
    of = subject(rows=frame(400))
    found = exhibit_of(of, "challengers", deciding_part="test")
    differences = [one for one in found.estimates if one.measure == "auc_difference"]
    assert {one.method for one in differences} == {"delong_paired"}


def test_the_same_recipe_is_not_told_apart_from_itself() -> None:
    of = subject(rows=frame(300))
    at = Bench(of, plan("challengers", cross_validation={"folds": 4, "repeats": 1}))
    ledger = MemoryLedger()
    for need in at.submitted.fold_needs:
        ledger.keep(execute(FitJob(need.fit, (need.reading,)), of))
    nothing = gain_of(at, ledger, "auc", at.submitted, at.submitted, OUT_OF_FOLD)
    low, high = nothing.interval(0.95) or (np.nan, np.nan)
    assert nothing.value == 0
    assert low < 0 < high


def test_a_forest_is_read_out_of_bag_in_every_fold() -> None:
    found = exhibit_of(replace(subject(), recipe=Recipe(family="forest", settings={"trees": 40})), "gap")
    seen = estimate(found, "auc", part="training_in_the_folds")
    plain = estimate(found, "auc", part="training")
    assert seen.value < plain.value - 0.03


# Few rows.


def test_folds_are_as_many_as_the_rarest_class_has_rows_and_it_is_said() -> None:
    rows = few_rows(30)
    found = exhibit_of(subject_of_flags(rows), "cross_validation", cross_validation={"folds": 20})
    made = bench_with(subject_of_flags(rows), "gap", cross_validation={"folds": 20}).split
    rarest = int(np.bincount(made.subject.target.codes[made.cross_validated]).min())
    assert len(made.folds) == rarest < 20
    assert (
        f"There are {rarest} folds, not 20: only {rarest} rows of the rarest class are outside the test part."
        in found.lines
    )
    assert f"there are {rarest} folds, not 20" in found.provenance.scheme
    assert found.state == "done"


def test_thirty_rows_are_shown_and_not_judged() -> None:
    found = exhibit_of(subject_of_flags(few_rows(30)), "gap", cross_validation={"folds": 10})
    assert found.answer.endswith(", of too few rows to judge.")
    assert (found.standing, found.open) == ("unsettled", 1)


def few_rows(n: int) -> pd.DataFrame:
    return frame(n).drop(columns=["house", "size", "kind"])


def subject_of_flags(rows: pd.DataFrame) -> Subject:
    return subject_of_frame(rows, "flag", Recipe(family="logistic"), protected=("sex",))


# Time.


def test_rows_in_time_are_split_by_time_in_the_standard_plan() -> None:
    for tier in (1, 2, 3):
        made = standard_plan(tier, given_parts=False, timed=True)
        assert made.parts.by == made.cross_validation.by == "time"
        assert made.cross_validation.repeats == 1
    whole_groups = standard_plan(2, given_parts=False, timed=True, grouped=True)
    assert whole_groups.parts.by == "groups"
    given_parts = standard_plan(2, given_parts=True, timed=True)
    assert given_parts.parts.kind == "given"


def test_the_latest_rows_are_unseen_and_folds_go_forward() -> None:
    rows = few_rows(300)
    rows["day"] = pd.date_range("2024-01-01", periods=300, freq="D").strftime("%Y-%m-%d")
    of = subject_of_frame(rows, "flag", Recipe(family="logistic"), protected=("sex",), time="day", positive="yes")
    made = standard_plan(2, given_parts=False, timed=True)
    split = Bench(of, made).split
    assert split.parts["training"].max() < split.parts["test"].min()
    assert all(fold.train.max() < fold.test.min() for fold in split.folds)
    assert len(split.folds) == 10
    (found,) = retest(Bench(of, made.model_copy(update={"checks": ("gap",)})))
    assert found.state == "done"
    assert found.standing is not None
