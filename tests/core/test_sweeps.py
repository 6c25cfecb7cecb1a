"""Many fits at the price of one: the same scores as fitting each, to rounding."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sklearn.tree import DecisionTreeClassifier

from brookfall.core.fit.leave_one_out import divisors_without, left_out_by_algebra
from brookfall.core.fit.request import DialReading, LeftOutReading
from brookfall.core.recipe.families import families
from brookfall.core.recipe.family.pruning import collapse_strengths
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import Subject
from tests.made import examples, read, scores_on, subject_of_frame


def frame(n: int = 60, seed: int = 1) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=n), rng.normal(size=n) * 5
    kind = rng.choice(["red", "green", "blue"], n)
    y = 2 + 1.5 * x - 0.2 * z + (kind == "red") + rng.normal(size=n)
    label = np.where(y > 2.5, "high", np.where(y > 1, "middle", "low"))
    weight = rng.exponential(size=n) + 0.1
    return pd.DataFrame({"x": x, "z": z, "kind": kind, "y": y, "label": label, "weight": weight})


def subject(family: str, outcome: str, weighted: bool = False, **recipe: object) -> Subject:
    made = frame()
    target = {"number": "y", "multiclass": "label", "binary": "label"}[outcome]
    if outcome == "binary":
        made["label"] = np.where(made["label"] == "high", "yes", "no")
    made = made.drop(columns="label" if target == "y" else "y")
    given = Recipe.model_validate({"family": family, **recipe})
    weight = "weight" if weighted else None
    made = made if weighted else made.drop(columns="weight")
    return subject_of_frame(made, target, given, outcome, weight=weight)  # type: ignore[arg-type]


def refitted(one: Subject, rows: np.ndarray) -> np.ndarray:
    return np.concatenate([scores_on(one, rows[rows != row], np.array([row])) for row in rows])


@pytest.mark.parametrize("scale", ["none", "standard", "minmax", "robust"])
@pytest.mark.parametrize("outcome", ["number", "multiclass", "binary"])
@pytest.mark.parametrize("settings_", [{"k": 3}, {"k": 7, "weights": "distance", "metric": "manhattan"}])
def test_neighbours_left_out_are_the_refitted_ones(scale: str, outcome: str, settings_: dict[str, object]) -> None:
    one = subject("nearest_neighbours", outcome, settings=settings_, preprocess={"scale": scale})
    rows = np.arange(50)
    assert left_out_by_algebra(one.recipe or Recipe(family=""), one.table.select(one.features), rows)
    assert read(one, rows, LeftOutReading(rows)) == pytest.approx(refitted(one, rows), abs=1e-9)


@pytest.mark.parametrize(
    ("family", "scale", "weighted"),
    [("linear", "none", False), ("linear", "standard", True), ("ridge", "none", False), ("ridge", "none", True)],
)
def test_least_squares_left_out_are_the_refitted_ones(family: str, scale: str, weighted: bool) -> None:
    one = subject(family, "number", weighted, preprocess={"scale": scale})
    rows = np.arange(50)
    assert left_out_by_algebra(one.recipe or Recipe(family=""), one.table.select(one.features), rows)
    assert read(one, rows, LeftOutReading(rows)) == pytest.approx(refitted(one, rows), abs=1e-7)


def test_a_row_that_alone_decides_a_coefficient_is_left_out_in_earnest() -> None:
    made = frame(30).assign(alone=0.0).drop(columns=["label", "weight"])
    made.loc[4, "alone"] = 1.0
    one = subject_of_frame(made, "y", Recipe(family="linear"), "number")
    rows = np.arange(30)
    assert read(one, rows, LeftOutReading(rows)) == pytest.approx(refitted(one, rows), abs=1e-7)


def test_what_is_learned_from_single_rows_is_refitted() -> None:
    table = frame().drop(columns=["label", "weight"])
    gappy = table.assign(x=table["x"].where(table.index != 3, np.nan)).astype(object).fillna("")
    rare = table.assign(kind=["only"] + ["usual"] * (len(table) - 1))
    rows = np.arange(len(table))
    for made, recipe, possible in (
        (table, {"family": "linear"}, True),
        (gappy, {"family": "linear"}, False),
        (gappy, {"family": "linear", "preprocess": {"missing": "constant"}}, True),
        (rare, {"family": "linear"}, False),
        (table, {"family": "linear", "preprocess": {"encode": "target"}}, False),
        (table, {"family": "linear", "preprocess": {"rare": "0.1"}}, False),
        (table, {"family": "ridge", "preprocess": {"scale": "standard"}}, False),
        (table, {"family": "tree"}, False),
    ):
        one = subject_of_frame(made, "y", Recipe.model_validate(recipe), "number")
        found = left_out_by_algebra(one.recipe or Recipe(family=""), one.table.select(one.features), rows)
        assert found is possible, recipe


@given(st.lists(st.sampled_from([0.0, 1.0, 2.5, -3.0, 7.0, 7.5]), min_size=4, max_size=25))
@examples(60)
def test_scales_without_a_row(values: list[float]) -> None:
    column = np.array(values)
    for scale, of in (
        ("standard", np.std),
        ("minmax", np.ptp),
        ("robust", lambda rest: np.subtract(*np.quantile(rest, [0.75, 0.25]))),
    ):
        found = divisors_without(column[:, None], 1, scale)
        assert found is not None
        expected = [float(of(np.delete(column, row))) for row in range(len(column))]
        assert found[:, 0] == pytest.approx([value if value > 1e-12 else 1.0 for value in expected], rel=1e-7)


DIALS = {
    "nearest_neighbours": ({}, "k", (1, 4, 9, 15)),
    "gradient_boosting": ({"trees": 20, "rows_per_leaf": 5}, "trees", (1, 7, 20)),
    "lightgbm": ({"trees": 20, "rows_per_leaf": 5}, "trees", (1, 7, 20)),
    "adaboost": ({"trees": 12, "depth": 2}, "trees", (1, 5, 12)),
    "tree": ({}, "pruning", (0.0, 0.004, 0.02, 0.1, 5.0)),
}


@pytest.mark.parametrize("outcome", ["number", "multiclass", "binary"])
@pytest.mark.parametrize("family", DIALS)
def test_one_fit_read_along_its_dial_is_many_fits(family: str, outcome: str) -> None:
    base, setting, values = DIALS[family]
    train, rows = np.arange(45), np.arange(45, 60)
    swept = read(subject(family, outcome, settings=base), train, DialReading(rows, values))
    for place, value in enumerate(values):
        whole = int(value) if setting != "pruning" else value
        alone = scores_on(subject(family, outcome, settings={**base, setting: whole}), train, rows)
        assert swept[:, place] == pytest.approx(alone, abs=1e-9), value


def test_every_dial_is_a_setting_of_its_family() -> None:
    for family in families().values():
        if family.dial:
            assert family.dial.setting in family.settings.model_fields
        assert family.along is None or family.dial is not None


@given(st.integers(0, 200))
@examples(15)
def test_pruned_subtrees_are_those_of_scikit_learn(seed: int) -> None:
    rng = np.random.default_rng(seed)
    x, y = rng.normal(size=(120, 3)).round(1), rng.integers(0, 3, 120)
    grown = DecisionTreeClassifier(random_state=0).fit(x, y)
    path = grown.cost_complexity_pruning_path(x, y)
    ours = np.unique(collapse_strengths(grown.tree_))
    ours = ours[np.isfinite(ours)]
    assert ours[-1] == pytest.approx(path.ccp_alphas[-1])
    for strength in np.append((path.ccp_alphas[:-1] + path.ccp_alphas[1:]) / 2, 0.0):
        leaves = DecisionTreeClassifier(random_state=0, ccp_alpha=strength).fit(x, y).get_n_leaves()
        standing = collapse_strengths(grown.tree_) <= strength
        assert count_leaves(grown.tree_, standing) == leaves


def count_leaves(tree: object, gone: np.ndarray, node: int = 0) -> int:
    left, right = tree.children_left[node], tree.children_right[node]  # type: ignore[attr-defined]
    if left < 0 or gone[node]:
        return 1
    return count_leaves(tree, gone, left) + count_leaves(tree, gone, right)
