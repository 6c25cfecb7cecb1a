"""What else a node could have split on: against scikit-learn's own trees of one split, and SciPy's tests."""

import numpy as np
import pandas as pd
import pytest
import scipy.stats
from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.chart import TreeChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.measure.competing_splits import NodeRows, competing_splits
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.retest.run import retest
from brookfall.core.table.outcome import Outcome
from tests.made import subject_of_frame


def rows(n: int, seed: int, *, number: bool) -> tuple[NodeRows, np.ndarray]:
    rng = np.random.default_rng(seed)
    design = np.column_stack([rng.normal(size=n), rng.integers(0, 4, n), rng.normal(size=n).round(1)]).astype(float)
    told = design[:, 0] + 0.5 * design[:, 1] + rng.normal(size=n)
    outcomes = told if number else np.digitize(told, [-0.5, 1.0])
    kinds = np.column_stack([np.ones(n), told, told**2]) if number else np.eye(3)[outcomes.astype(int)]
    return NodeRows(design, kinds, n), outcomes


@pytest.mark.parametrize("number", [False, True])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_the_best_cut_of_each_column_is_that_of_a_tree_of_one_split(number: bool, seed: int) -> None:
    training, outcomes = rows(300, seed, number=number)
    unseen, held = rows(200, seed + 50, number=number)
    found = {one.column: one for one in competing_splits(training, unseen, number=number)}
    for column, one in found.items():
        made = DecisionTreeRegressor(max_depth=1) if number else DecisionTreeClassifier(max_depth=1)
        tree = made.fit(training.design[:, [column]], outcomes).tree_
        assert one.threshold == pytest.approx(tree.threshold[0], abs=1e-6)
        left, right = tree.children_left[0], tree.children_right[0]
        share = tree.n_node_samples / 300
        gain = tree.impurity[0] - share[left] * tree.impurity[left] - share[right] * tree.impurity[right]
        assert one.gain == pytest.approx(gain)
        goes = unseen.design[:, column] <= one.threshold
        impurity = np.var if number else (lambda values: 1 - ((np.bincount(values) / len(values)) ** 2).sum())
        by_hand = impurity(held) - goes.mean() * impurity(held[goes]) - (~goes).mean() * impurity(held[~goes])
        assert one.unseen_gain == pytest.approx(by_hand)
        side = training.design[:, column] <= one.threshold
        if number:
            p = scipy.stats.f_oneway(outcomes[side], outcomes[~side]).pvalue
        else:
            table = np.stack([np.bincount(outcomes[side], minlength=3), np.bincount(outcomes[~side], minlength=3)])
            p = scipy.stats.chi2_contingency(table, correction=False).pvalue
        cuts = len(np.unique(training.design[:, column])) - 1
        assert one.log_p == pytest.approx(-np.log10(p), rel=1e-6)
        assert one.corrected == pytest.approx(max(0.0, -np.log10(p * cuts)), abs=1e-6)
    gains = [one.gain for one in competing_splits(training, unseen, number=number)]
    assert gains == sorted(gains, reverse=True)


def test_noise_is_not_told_from_chance_once_its_cuts_are_counted() -> None:
    rng = np.random.default_rng(0)
    alone = []
    for _ in range(200):
        kinds = np.eye(2)[rng.integers(0, 2, 150)]
        node = NodeRows(rng.normal(size=(150, 1)), kinds, 150)
        alone += [(one.log_p, one.corrected) for one in competing_splits(node, node, number=False)]
    plain, corrected = (np.mean([value > -np.log10(0.05) for value in values]) for values in zip(*alone, strict=True))
    # The best of 149 cuts looks significant far too often, and after the correction at most as often as it may.
    assert plain > 0.3
    assert corrected <= 0.05


def test_nodes_of_one_outcome_or_without_a_difference_have_none() -> None:
    one = NodeRows(np.array([[1.0], [2.0]]), np.eye(2)[[0, 0]], 2)
    same = NodeRows(np.ones((4, 1)), np.eye(2)[[0, 1, 0, 1]], 4)
    assert competing_splits(one, one, number=False) == []
    assert competing_splits(same, same, number=False) == []
    empty = NodeRows(np.zeros((0, 1)), np.zeros((0, 2)), 4)
    pair = NodeRows(np.array([[1.0], [2.0]]), np.eye(2)[[0, 1]], 2)
    assert np.isnan(competing_splits(pair, empty, number=False)[0].unseen_gain)


def test_a_number_that_a_split_tells_without_a_remainder_has_no_p_to_write() -> None:
    outcomes = np.array([1.0, 1.0, 5.0, 5.0])
    kinds = np.column_stack([np.ones(4), outcomes, outcomes**2])
    node = NodeRows(np.array([[1.0], [2.0], [3.0], [4.0]]), kinds, 4)
    (found,) = competing_splits(node, node, number=True)
    assert (found.threshold, found.log_p, found.corrected) == (2.5, np.inf, np.inf)


def exhibit(outcome: Outcome = "binary", recipe: Recipe | None = None) -> Exhibit:
    rng = np.random.default_rng(6)
    frame = pd.DataFrame({"x": rng.normal(50, 10, 600).round(2), "z": rng.normal(size=600).round(3)})
    frame["kind"] = rng.choice(["flat", "house", "farm"], 600)
    told = (frame["x"] - 50) / 10 + (frame["kind"] == "farm") + rng.normal(size=600)
    frame["y"] = told if outcome == "number" else np.where(told > 0.3, "yes", "no")
    made = recipe or Recipe(family="tree", settings={"depth": 3}, preprocess=Preprocess(scale="standard"))
    subject = subject_of_frame(frame, "y", made, outcome)
    plan = standard_plan(2, outcome=outcome, given_parts=False).model_copy(update={"checks": ("trees",)})
    (found,) = retest(Bench(subject, plan))
    return found


@pytest.mark.parametrize("outcome", ["binary", "number"])
def test_the_split_that_the_tree_made_is_among_the_best_at_every_node(outcome: Outcome) -> None:
    found = exhibit(outcome)
    (chart,) = [one for one in found.charts if isinstance(one, TreeChart)]
    assert chart.competing == "competing:1"
    tree, other = found.series[chart.trees[0]], found.series["competing:1"]
    inner = [node for node, left in enumerate(tree["left"]) if left is not None and left >= 0]
    assert sorted(set(other["node"])) == inner
    for node in inner:
        mine = [place for place, at in enumerate(other["node"]) if at == node]
        best = mine[0]
        # The tree took the best cut there is, in the data's own unit.
        assert other["column"][best] == tree["column"][node]
        assert other["gain"][best] == pytest.approx(tree["gain"][node], rel=1e-4)
        assert other["unseen_gain"][best] == pytest.approx(tree["unseen_gain"][node], rel=1e-3, abs=1e-6)
        if chart.columns[int(tree["column"][node] or 0)].kind == "number":
            assert other["threshold"][best] == pytest.approx(tree["threshold"][node], rel=1e-3)
    titles = [table.title for table in found.tables]
    assert any(title.startswith("What else the first split could have been") for title in titles)


def test_a_model_of_many_trees_has_no_one_tree_to_ask() -> None:
    found = exhibit(recipe=Recipe(family="forest", settings={"trees": 3}))
    (chart,) = [one for one in found.charts if isinstance(one, TreeChart)]
    assert chart.competing is None
    assert "competing:1" not in found.series
