"""Exhibits against the same figures computed by hand with pandas and scikit-learn, from the same parts and folds."""

from dataclasses import replace
from typing import Any, cast

import numpy as np
import pandas as pd
import pytest
import sklearn.metrics as reference
from scipy.special import expit, logit
from sklearn.linear_model import LinearRegression, LogisticRegression
from sklearn.preprocessing import StandardScaler

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.measure.registry import standard_measure
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from tests.conftest import small_plan
from tests.core.test_outcomes import OUTCOMES, people, subject

FEATURES = ["x", "z"]
SCALED: dict[str, object] = {"preprocess": {"scale": "standard"}}


def plain(outcome: str, **roles: Any) -> Subject:
    """Two numbers as features, scaled by the training rows."""
    return subject(outcome, SCALED, features=tuple(FEATURES), **roles)


def fitted(outcome: str, train: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """Scores by hand: scaled by the training rows, no penalty."""
    frame = people()
    scaler = StandardScaler().fit(frame[FEATURES].iloc[train])
    inside, outside = (scaler.transform(frame[FEATURES].iloc[chosen]) for chosen in (train, rows))
    target = frame[OUTCOMES[outcome]].iloc[train]
    if outcome == "number":
        return LinearRegression().fit(inside, target).predict(outside)
    scores = LogisticRegression(C=np.inf, tol=1e-8, max_iter=5000).fit(inside, target).predict_proba(outside)
    return scores[:, 1] if outcome == "binary" else scores


def truth(outcome: str, rows: np.ndarray) -> np.ndarray:
    column = people()[OUTCOMES[outcome]].iloc[rows]
    if outcome == "binary":
        return (column == "yes").to_numpy()
    return column.to_numpy()


def by_hand(name: str, outcome: str, rows: np.ndarray, scores: np.ndarray) -> float:
    y = truth(outcome, rows)
    if outcome == "number":
        of_numbers = {"r2": reference.r2_score, "rmse": reference.root_mean_squared_error}
        return float({**of_numbers, "mae": reference.mean_absolute_error}[name](y, scores))
    classes = np.unique(people()["kind"])
    decided = scores >= 0.5 if outcome == "binary" else classes[scores.argmax(axis=1)]
    if name == "auc":
        return float(reference.roc_auc_score(y, scores, **({} if outcome == "binary" else {"multi_class": "ovo"})))
    metrics = {
        "accuracy": reference.accuracy_score,
        "balanced_accuracy": reference.balanced_accuracy_score,
        "kappa": reference.cohen_kappa_score,
    }
    return float(metrics[name](y, decided))


NAMES = {"binary": ("auc", "accuracy", "kappa"), "multiclass": ("auc", "balanced_accuracy"), "number": ("r2", "rmse")}


def run(one: Subject, **changes: Any) -> tuple[Bench, dict[str, Exhibit]]:
    bench = Bench(one, small_plan(main_measure=standard_measure(one.outcome), **changes))
    return bench, {exhibit.check: exhibit for exhibit in retest(bench)}


def one_of(exhibit: Exhibit, **wanted: object) -> Estimate:
    wanted = {"class_": None, **wanted}
    (found,) = [e for e in exhibit.estimates if all(getattr(e, name) == value for name, value in wanted.items())]
    return found


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_holdout_is_a_fit_by_hand(outcome: str) -> None:
    bench, found = run(plain(outcome), checks=["holdout"])
    for part, rows in bench.split.parts.items():
        scores = fitted(outcome, bench.split.parts["training"], rows)
        for name in NAMES[outcome]:
            estimate = one_of(found["holdout"], measure=name, part=part)
            assert estimate.value == pytest.approx(by_hand(name, outcome, rows, scores), abs=1e-4), (part, name)
            assert estimate.n == len(rows)


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_cross_validation_is_a_loop_by_hand(outcome: str) -> None:
    bench, found = run(plain(outcome), checks=["cross_validation"])
    for name in set(NAMES[outcome]) & {"auc", "accuracy", "balanced_accuracy", "r2", "rmse"}:
        if outcome == "multiclass" and name == "auc":
            continue
        values = [
            by_hand(name, outcome, fold.test, fitted(outcome, fold.train, fold.test)) for fold in bench.split.folds
        ]
        mean = next(e for e in found["cross_validation"].estimates if e.measure == name and e.part == "out_of_fold")
        assert mean.value == pytest.approx(np.mean(values), abs=2e-4), name
        # Nadeau & Bengio 2003, written out; of a share on the logit scale, by the delta method.
        half = 2.364624 * np.sqrt((1 / 8 + 1 / 3) * np.var(values, ddof=1))
        ends = np.mean(values) + half * np.array([-1, 1])
        if name in ("auc", "accuracy", "balanced_accuracy"):
            share = np.mean(values)
            ends = expit(logit(share) + half / (share * (1 - share)) * np.array([-1, 1]))
        assert (mean.low, mean.high) == pytest.approx(tuple(ends), abs=2e-3)


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_the_gap_is_training_less_test(outcome: str) -> None:
    bench, found = run(plain(outcome), checks=["gap"])
    main = {"binary": "auc", "multiclass": "balanced_accuracy", "number": "r2"}[outcome]
    train, test = bench.split.parts["training"], bench.split.parts["test"]
    seen, unseen = (by_hand(main, outcome, rows, fitted(outcome, train, rows)) for rows in (train, test))
    gap = next(e for e in found["gap"].estimates if e.measure == f"{main}_gap" and e.versus and e.versus.part == "test")
    assert gap.value == pytest.approx(seen - unseen, abs=2e-4)
    assert gap.low is not None
    assert gap.high is not None
    assert gap.low < seen - unseen < gap.high


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_the_baseline_is_what_training_rows_say_most_or_on_average(outcome: str) -> None:
    bench, found = run(plain(outcome), checks=["baseline"])
    train, test = bench.split.parts["training"], bench.split.parts["test"]
    y = pd.Series(truth(outcome, train))
    name = "rmse" if outcome == "number" else "accuracy"
    theirs = one_of(found["baseline"], measure=name, model="baseline", part="test").value
    if outcome == "number":
        assert theirs == pytest.approx(np.sqrt(((truth(outcome, test) - y.mean()) ** 2).mean()))
    else:
        assert theirs == pytest.approx((truth(outcome, test) == y.mode()[0]).mean())


def test_group_rates_are_those_of_a_cross_table() -> None:
    bench, found = run(plain("binary"), checks=["groups", "combinations"], deciding_part="test")
    test = bench.split.parts["test"]
    frame = (
        people()
        .iloc[test]
        .assign(chosen=fitted("binary", bench.split.parts["training"], test) >= 0.5, positive=truth("binary", test))
    )
    rates = frame.groupby("sex")["chosen"].mean()
    for level, rate in rates.items():
        estimate = one_of(found["groups"], measure="selection_rate", group={"sex": level})
        assert estimate.value == pytest.approx(rate)
    pairs = frame.groupby(["sex", "age"])["chosen"].mean()
    for (sex, age), rate in cast("dict[tuple[str, str], float]", pairs.to_dict()).items():
        estimate = one_of(found["combinations"], measure="selection_rate", group={"sex": sex, "age": age})
        assert estimate.value == pytest.approx(rate)
    found_rates = frame[frame["positive"]].groupby("age")["chosen"].agg(["mean", "size"])
    for level, row in found_rates.iterrows():
        estimate = one_of(found["groups"], measure="true_positive_rate", group={"age": level})
        assert (estimate.value, estimate.n) == (pytest.approx(row["mean"]), row["size"])


def test_group_errors_of_a_number_are_those_of_a_group_by() -> None:
    bench, found = run(plain("number"), checks=["groups"], deciding_part="test")
    test = bench.split.parts["test"]
    frame = people().iloc[test]
    off = fitted("number", bench.split.parts["training"], test) - frame["size"]
    for level, chosen in frame.groupby("age").groups.items():
        assert one_of(found["groups"], measure="bias", group={"age": level}).value == pytest.approx(off[chosen].mean())
        size = one_of(found["groups"], measure="mae", group={"age": level})
        assert size.value == pytest.approx(off[chosen].abs().mean())


def test_weighted_fits_and_measures_are_those_of_scikit_learn_with_sample_weights() -> None:
    one = plain("binary", weight="weight")
    bench, found = run(one, checks=["holdout"])
    frame = people()
    train, test = bench.split.parts["training"], bench.split.parts["test"]
    scaler = StandardScaler().fit(frame[FEATURES].iloc[train])
    model = LogisticRegression(C=np.inf, tol=1e-8, max_iter=5000)
    model.fit(scaler.transform(frame[FEATURES].iloc[train]), truth("binary", train), frame["weight"].iloc[train])
    scores = model.predict_proba(scaler.transform(frame[FEATURES].iloc[test]))[:, 1]
    expected = reference.roc_auc_score(truth("binary", test), scores, sample_weight=frame["weight"].iloc[test])
    assert one_of(found["holdout"], measure="auc", part="test").value == pytest.approx(expected, abs=1e-4)


def test_a_bootstrap_by_hand_gives_the_632_rule() -> None:
    one = replace(plain("number"), recipe=Recipe.model_validate({"family": "linear", **SCALED}))
    bench, found = run(one, cross_validation={"kind": "bootstrap", "folds": 30}, checks=["cross_validation"])
    rows = bench.split.cross_validated
    total, times = np.zeros(len(people())), np.zeros(len(people()))
    for fold in bench.split.folds:
        total[fold.test] += (fitted("number", fold.train, fold.test) - truth("number", fold.test)) ** 2
        times[fold.test] += 1
    unseen = (total[rows] / times[rows]).mean()
    seen = ((fitted("number", rows, rows) - truth("number", rows)) ** 2).mean()
    estimates = {e.method: e.value for e in found["cross_validation"].estimates if e.measure == "mse"}
    assert estimates["bootstrap_632"] == pytest.approx(0.368 * seen + 0.632 * unseen)
    assert seen < (estimates["bootstrap_632_plus"] or 0) < unseen * 1.0001
