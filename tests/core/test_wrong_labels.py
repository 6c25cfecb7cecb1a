"""Bounds on the share of wrong labels hold what was planted, classes well apart and overlapping; and the share itself."""

import numpy as np
import pytest
from sklearn.linear_model import LogisticRegression
from sklearn.model_selection import StratifiedKFold, cross_val_predict

from brookfall.core.measure.wrong_labels import at_most_wrong, wrong_in_sample


def drawn(seed: int, share: float, apart: float, classes: int, n: int = 1200) -> tuple[float, float]:
    """What share is wrong in truth, and at most by the bound, from scikit-learn's probabilities out of fold."""
    rng = np.random.default_rng(seed)
    true = rng.integers(0, classes, n)
    x = apart * np.eye(classes)[true] + rng.normal(size=(n, classes))
    wrong = rng.random(n) < share
    labels = np.where(wrong, (true + rng.integers(1, classes, n)) % classes, true)
    folds = StratifiedKFold(5, shuffle=True, random_state=0)
    probabilities = cross_val_predict(LogisticRegression(), x, labels, cv=folds, method="predict_proba")
    return float(wrong.mean()), at_most_wrong(labels, probabilities, 0.95).at_most


@pytest.mark.parametrize("share", [0.0, 0.02, 0.05, 0.10, 0.20])
def test_what_was_planted_lies_within_the_bounds(share: float) -> None:
    """200 draws a share: two and three classes, well apart and overlapping. Held in nine of ten at least, and not empty:
    the median bound of classes well apart is at most 6 points and half as much again over the truth."""
    found = {
        (apart, classes): [drawn(seed, share, apart, classes) for seed in range(50)]
        for apart in (1.2, 4.0)
        for classes in (2, 3)
    }
    held = [truth <= most for pairs in found.values() for truth, most in pairs]
    assert len(held) == 200
    assert np.mean(held) >= 0.9
    for (apart, _), pairs in found.items():
        if apart == 4.0:
            assert np.median([most for _, most in pairs]) <= 1.5 * share + 0.06


def test_taking_off_what_chance_contradicts_would_hide_them() -> None:
    """Why the share is not read off the probabilities: they are calibrated to the labels, so where a fifth is wrong the
    contradictions are about as many as they themselves expect."""
    rng = np.random.default_rng(3)
    true = rng.integers(0, 2, 4000)
    x = 4 * true[:, None] + rng.normal(size=(4000, 1))
    labels = np.where(rng.random(4000) < 0.2, 1 - true, true)
    sure = cross_val_predict(LogisticRegression(), x, labels, cv=5, method="predict_proba")
    contradicted = float((sure.argmax(axis=1) != labels).mean())
    expected = float((1 - sure.max(axis=1)).mean())
    assert contradicted - expected < 0.02
    assert at_most_wrong(labels, sure, 0.95).at_most > 0.2


def test_the_share_of_a_marked_sample_holds_the_truth() -> None:
    """Of 300 suspects 70 % are wrong, of 700 others 2 %; 40 of each are drawn. Held in 95 % of 400 draws, but for
    chance."""
    rng = np.random.default_rng(5)
    suspects, others = np.arange(300) < 210, np.arange(700) < 14
    truth = (suspects.sum() + others.sum()) / 1000
    held = 0
    for _ in range(400):
        wrong = [int(rng.choice(rows, 40, replace=False).sum()) for rows in (suspects, others)]
        low, high = wrong_in_sample((300, 40, wrong[0]), (700, 40, wrong[1])).interval(0.95) or (1.0, 0.0)
        held += low <= truth <= high
    assert held >= 370


def test_all_of_one_label_or_none_sure_says_nothing_small() -> None:
    even = np.full((100, 2), 0.5)
    assert at_most_wrong(np.arange(100) % 2, even, 0.95).at_most > 0.4
    assert wrong_in_sample((0, 0, 0), (100, 40, 4)).value == pytest.approx(0.1)
