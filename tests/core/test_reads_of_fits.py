"""What is read of a fit: rows without themselves, trees as grown, preparation on other rows, corrected outcomes."""

from dataclasses import replace

import lightgbm
import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import t as student
from sklearn.ensemble import (
    AdaBoostClassifier,
    HistGradientBoostingClassifier,
    RandomForestClassifier,
    RandomForestRegressor,
)
from sklearn.linear_model import LogisticRegression
from sklearn.neighbors import KNeighborsClassifier, KNeighborsRegressor
from sklearn.preprocessing import StandardScaler
from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

from brookfall.core.fit.execute import execute
from brookfall.core.fit.probe.trees import outcomes_by_node, read_trees
from brookfall.core.fit.request import (
    CoefficientReading,
    DialReading,
    FitJob,
    FitRequest,
    Labels,
    Reading,
    ScoreReading,
    SplitsReading,
    TreesReading,
    WithoutItselfReading,
)
from brookfall.core.measure.spread_of_draws import mean_of_draws, range_of_draws
from brookfall.core.recipe.dials import Facts, dialled
from brookfall.core.recipe.families import families
from brookfall.core.recipe.family.family import Grown
from brookfall.core.recipe.family.fitted_trees import binned_trees, each_tree, leafwise_trees, one_tree
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.bootstrap import drawn_again
from brookfall.core.submission.subject import Subject
from brookfall.core.table.target import Target
from tests.made import bench_with, examples, subject_of_frame

N = 240
TRAIN, REST = np.arange(0, N, 2), np.arange(1, N, 2)


def frame() -> pd.DataFrame:
    rng = np.random.default_rng(44)
    x, z = rng.normal(size=N), 50 + 9 * rng.normal(size=N)
    size = x + (z - 50) / 9 + 0.5 * rng.normal(size=N)
    return pd.DataFrame(
        {"x": x.round(6), "z": z.round(6), "flag": np.where(size > 0, "yes", "no"), "size": size.round(6)}
    )


def subject(outcome: str, family: str, **recipe: object) -> Subject:
    target = "size" if outcome == "number" else "flag"
    kept = frame()[["x", "z", target]]
    made = Recipe.model_validate({"family": family, "seed": 6, **recipe})
    return subject_of_frame(kept, target, made, outcome)  # type: ignore[arg-type]


def fit_of(of: Subject) -> FitRequest:
    return bench_with(of).fit(TRAIN)


def taken(fit: FitRequest, reading: Reading, of: Subject) -> np.ndarray:
    result = execute(FitJob(fit, (reading,)), of)
    assert result.failure is None, result.failure
    return result.readings[reading.key]


def raw() -> np.ndarray:
    return frame()[["x", "z"]].to_numpy()


# Rows without themselves.


@pytest.mark.parametrize("outcome", ["binary", "number"])
def test_out_of_bag_is_scikit_learns(outcome: str) -> None:
    of = subject(outcome, "forest", settings={"trees": 40})
    found = taken(fit_of(of), WithoutItselfReading(TRAIN), of)
    made = RandomForestClassifier if outcome == "binary" else RandomForestRegressor
    plain = made(n_estimators=40, random_state=6, oob_score=True, bootstrap=True)
    if outcome == "binary":
        plain.fit(raw()[TRAIN], of.target.hits[TRAIN])
        expected = plain.oob_decision_function_[:, 1]
    else:
        plain.set_params(max_features=1 / 3).fit(raw()[TRAIN], of.target.numbers[TRAIN])
        expected = plain.oob_prediction_
    assert found == pytest.approx(expected, abs=1e-9)


def test_a_row_that_every_tree_drew_has_no_score_of_its_own() -> None:
    of = subject("binary", "forest", settings={"trees": 1})
    found = taken(fit_of(of), WithoutItselfReading(TRAIN), of)
    drawn = np.isnan(found).mean()
    assert 0.5 < drawn < 0.75


@pytest.mark.parametrize("outcome", ["binary", "number"])
def test_neighbours_without_the_row_itself_are_a_fit_without_it(outcome: str) -> None:
    of = subject(outcome, "nearest_neighbours", settings={"k": 4, "weights": "distance"})
    found = taken(fit_of(of), WithoutItselfReading(TRAIN), of)
    values = of.target.hits.astype(int) if outcome == "binary" else of.target.numbers
    made = KNeighborsClassifier if outcome == "binary" else KNeighborsRegressor
    for place in range(0, len(TRAIN), 17):
        others = np.delete(TRAIN, place)
        plain = made(n_neighbors=4, weights="distance").fit(raw()[others], values[others])
        row = raw()[TRAIN[place]][None]
        expected = plain.predict_proba(row)[0, 1] if outcome == "binary" else plain.predict(row)[0]
        assert found[place] == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("family", ["logistic", "tree"])
def test_families_that_can_not_say_so(family: str) -> None:
    of = subject("binary", family)
    result = execute(FitJob(fit_of(of), (WithoutItselfReading(TRAIN),)), of)
    assert "can't score a training row without itself" in (result.failure or "")
    result = execute(FitJob(bench_with(subject("binary", "naive_bayes")).fit(TRAIN), (DialReading(REST, (1.0,)),)), of)
    assert "can't be read along its dial" in (result.failure or "")


# Trees as they were grown.


def leaf_of(grown: Grown, rows: np.ndarray) -> np.ndarray:
    """The leaf of every row, walked one by one."""
    found = []
    for row in rows:
        node = 0
        while grown.left[node] >= 0:
            left = row[grown.column[node]] <= grown.threshold[node]
            node = int((grown.left if left else grown.right)[node])
        found.append(node)
    return np.array(found)


def same_partition(ours: np.ndarray, theirs: np.ndarray) -> bool:
    return len(set(zip(ours.tolist(), theirs.tolist(), strict=True))) == len(set(ours)) == len(set(theirs))


def test_a_tree_s_leaves_are_those_that_scikit_learn_puts_rows_into() -> None:
    x, y = raw(), (frame()["flag"] == "yes").to_numpy()
    for plain in (
        DecisionTreeClassifier(random_state=0).fit(x[TRAIN], y[TRAIN]),
        DecisionTreeRegressor(random_state=0, max_leaf_nodes=9).fit(x[TRAIN], frame()["size"].to_numpy()[TRAIN]),
    ):
        (grown,) = one_tree(plain)
        rows = x[REST].astype(np.float32).astype(float)
        assert leaf_of(grown, rows).tolist() == plain.apply(rows).tolist()


def test_trees_of_ensembles_part_the_rows_as_their_libraries_do() -> None:
    x, y = raw().astype(np.float32).astype(float), (frame()["flag"] == "yes").to_numpy()
    forest = RandomForestClassifier(4, random_state=0).fit(x[TRAIN], y[TRAIN])
    boosted = AdaBoostClassifier(n_estimators=3, random_state=0).fit(x[TRAIN], y[TRAIN])
    for plain in (forest, boosted):
        for grown, tree in zip(each_tree(plain), plain.estimators_, strict=True):
            assert leaf_of(grown, x[REST]).tolist() == tree.apply(x[REST]).tolist()
    leafwise = lightgbm.LGBMClassifier(n_estimators=3, num_leaves=6, verbose=-1).fit(x[TRAIN], y[TRAIN])
    leaves = np.asarray(leafwise.predict(x[REST], pred_leaf=True))
    for number, grown in enumerate(leafwise_trees(leafwise)):
        assert same_partition(leaf_of(grown, x[REST]), leaves[:, number])
    binned = HistGradientBoostingClassifier(max_iter=1, max_leaf_nodes=6, early_stopping=False).fit(x[TRAIN], y[TRAIN])
    (grown,) = binned_trees(binned)
    scores = binned.decision_function(x[REST])
    assert same_partition(leaf_of(grown, x[REST]), scores.round(12))


def test_counts_by_node_are_those_of_a_walk() -> None:
    x, y = raw().astype(np.float32).astype(float), (frame()["flag"] == "yes").to_numpy()
    (grown,) = one_tree(DecisionTreeClassifier(max_depth=4, random_state=0).fit(x[TRAIN], y[TRAIN]))
    counts = outcomes_by_node(grown, x[REST], Target("binary", y, ("no", "yes")), REST)
    leaves = leaf_of(grown, x[REST])
    for leaf in np.flatnonzero(grown.left < 0):
        here = leaves == leaf
        assert counts[leaf].tolist() == [(here & ~y[REST]).sum(), (here & y[REST]).sum()]
    assert counts[0].sum() == len(REST)


def test_whole_trees_are_kept_up_to_so_many_nodes() -> None:
    of = subject("binary", "forest", settings={"trees": 6, "depth": 3})
    fit = fit_of(of)
    whole = read_trees(taken(fit, TreesReading(REST, 10_000), of))
    assert len(whole) == 6
    few = read_trees(taken(fit, TreesReading(REST, len(whole[0].left) + 1), of))
    assert len(few) == 1
    assert few[0].left.tolist() == whole[0].left.tolist()
    # The first is kept however large it is.
    assert len(read_trees(taken(fit, TreesReading(REST, 1), of))) == 1


def test_splits_are_counted_over_all_trees_and_importance_adds_up() -> None:
    of = subject("binary", "forest", settings={"trees": 6, "depth": 3})
    fit = fit_of(of)
    splits = taken(fit, SplitsReading(TRAIN), of)
    trees = read_trees(taken(fit, TreesReading(REST, 10_000), of))
    for feature in range(2):
        assert splits[feature, 0] == sum((tree.column == feature).sum() for tree in trees)
    assert splits[:, 1].sum() == pytest.approx(1.0)
    without = taken(bench_with(subject("binary", "naive_bayes")).fit(TRAIN), SplitsReading(TRAIN), of)
    assert np.isnan(without).all()


# Other rows and other outcomes.


def test_a_scale_learned_from_other_rows_is_that_of_those_rows() -> None:
    of = subject("binary", "logistic", settings={"penalty": "l2", "strength": 3.0}, preprocess={"scale": "standard"})
    fit = replace(fit_of(of), prepared_on=np.arange(N))
    found = taken(fit, ScoreReading(REST), of)
    scaled = StandardScaler().fit(raw()).transform(raw())
    plain = LogisticRegression(C=1 / 3, tol=1e-12, max_iter=10_000).fit(scaled[TRAIN], of.target.hits[TRAIN])
    assert found == pytest.approx(plain.predict_proba(scaled[REST])[:, 1], abs=1e-6)
    assert found != pytest.approx(taken(fit_of(of), ScoreReading(REST), of), abs=1e-9)


def test_corrected_outcomes_are_learned_and_others_stay() -> None:
    of = subject("binary", "logistic")
    turned = TRAIN[:15]
    outcomes = tuple(float(not hit) for hit in of.target.hits[turned])
    fit = replace(fit_of(of), relabelled=Labels(turned, outcomes))
    hits = of.target.hits.copy()
    hits[turned] = ~hits[turned]
    plain = LogisticRegression(C=np.inf, tol=1e-12, max_iter=10_000).fit(raw()[TRAIN], hits[TRAIN])
    found = taken(fit, CoefficientReading(TRAIN), of)
    assert found[0] == pytest.approx([*plain.intercept_, *plain.coef_[0]], abs=1e-3)
    assert fit.key != fit_of(of).key
    number = subject("number", "linear")
    same = replace(fit_of(number), relabelled=Labels(TRAIN[:1], (float(number.target.numbers[TRAIN[0]]),)))
    assert np.array_equal(taken(same, ScoreReading(REST), number), taken(fit_of(number), ScoreReading(REST), number))


# Dials, draws, spreads.


@pytest.mark.parametrize("family", sorted(families()))
def test_a_dial_runs_from_simple_to_complex_with_distinct_values(family: str) -> None:
    found = dialled(Recipe(family=family), Facts(300, 0.48))
    if found is None:
        assert families()[family].dial is None or family in ("conditional_logit", "support_vectors")
        return
    values = [np.inf if turn.value is None else turn.value for turn in found.values]
    dial = families()[family].dial
    assert dial is not None
    assert values == sorted(values, reverse=not dial.rising)
    assert len(set(values)) == len(values) > 3
    assert found.values[found.submitted].recipe == Recipe(family=family)


def test_a_shrinkage_that_finds_itself_has_no_dial() -> None:
    assert dialled(Recipe(family="discriminant", settings={"shrinkage": "auto"}), Facts(300, 0.5)) is None


@given(n=st.integers(2, 60), groups=st.integers(1, 9), seed=st.integers(0, 999))
@examples(60)
def test_groups_are_drawn_whole_and_as_many_as_there_are(n: int, groups: int, seed: int) -> None:
    rows = np.sort(np.random.default_rng(seed).choice(500, n, replace=False))
    codes = np.random.default_rng(seed + 1).integers(0, groups, n)
    for drawn in drawn_again(rows, codes, "test", seed, 3):
        times = {row: int((drawn == row).sum()) for row in rows.tolist()}
        assert set(drawn.tolist()) <= set(rows.tolist())
        assert (np.diff(drawn) >= 0).all()
        by_group = {
            code: {times[row] for row, one in zip(rows.tolist(), codes, strict=True) if one == code} for code in codes
        }
        assert all(len(counts) == 1 for counts in by_group.values())
        assert sum(next(iter(counts)) for counts in by_group.values()) == len(by_group)
    for drawn in drawn_again(rows, None, "test", seed, 3):
        assert len(drawn) == n


def test_the_mean_of_draws_has_the_t_interval() -> None:
    values = np.array([0.2, 0.4, 0.5, np.nan, 0.9])
    figure = mean_of_draws(values, 70, 0.0, 1.0)
    known = [*values[:3].tolist(), 0.9]
    half = student.ppf(0.975, 3) * np.std(known, ddof=1) / 2
    low, high = figure.interval(0.95) or (0.0, 0.0)
    assert (low, high) == (
        pytest.approx(max(0.0, np.mean(known) - half)),
        pytest.approx(min(1.0, np.mean(known) + half)),
    )
    assert figure.n == 70
    assert mean_of_draws(np.array([0.3, np.nan]), 70).value is None
    assert range_of_draws(np.full(4, np.nan), 70).value is None
    assert range_of_draws(np.arange(1001.0), 5).interval(0.95) == (25.0, 975.0)
