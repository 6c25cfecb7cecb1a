"""A retest: the figures of two versions set against each other, paired where their rows are the same."""

from dataclasses import replace

import numpy as np
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.run import run_fits
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import paired
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.before_and_after import RetestResult, Side, _as_figure, _Pairs, before_and_after
from brookfall.core.retest.run import ask, evaluate, jobs_of
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table

N = 600


def table(seed: int = 5, shuffle: bool = False, first: int = 0) -> Table:
    drawn = np.random.default_rng(seed)
    x, z = drawn.normal(size=(2, N))
    y = drawn.random(N) < 1 / (1 + np.exp(-(1.2 * x + 1.5 * z)))
    order = np.random.default_rng(1).permutation(N) if shuffle else np.arange(N)
    part = np.where(np.arange(N) % 3 == 0, "test", "training")
    cells = {
        "id": [f"r{first + i}" for i in order],
        "x": [f"{x[i]:.6f}" for i in order],
        "z": [f"{z[i]:.6f}" for i in order],
        "part": [str(part[i]) for i in order],
        "y": ["yes" if y[i] else "no" for i in order],
    }
    return Table(tuple(column_from_text(name, values) for name, values in cells.items()))


def side(
    version: str, rows: Table, *, ignore: tuple[str, ...] = (), checks: tuple[str, ...] = ("holdout", "gap")
) -> Side:
    roles = Roles(target="y", positive="yes", identifier=("id",), part="part", ignore=ignore)
    subject = Subject(rows, roles, Recipe(family="logistic", threshold=0.5), (), "rows.csv")
    plan = standard_plan(2, given_parts=True).model_copy(update={"checks": checks})
    bench = Bench(subject, plan)
    asked, ledger = ask(bench), MemoryLedger()
    for result in run_fits(jobs_of(asked), subject):
        ledger.keep(result)
    exhibits = tuple(evaluate(one, bench, ledger) for one in asked)
    assert {one.state for one in exhibits} == {"done"}
    return Side(version, bench, ledger, exhibits)


@pytest.fixture(scope="module")
def poor() -> Side:
    return side("1.0", table(), ignore=("z",))


def of_check(result: RetestResult, check: str):  # type: ignore[no-untyped-def]
    (found,) = [one for one in result.exhibits if one.check == check]
    return found


def test_on_the_same_rows_in_another_order_the_difference_is_paired(poor: Side) -> None:
    mended = side("2.0", table(shuffle=True))
    result = before_and_after(poor, mended)
    (auc,) = [one for one in of_check(result, "holdout").compared if one.id == "holdout/auc/recipe/test"]
    assert auc.after is not None
    assert auc.difference is not None
    assert auc.difference.how == "on the same rows"
    # Once more by hand, over rows put in one order by their identifiers.
    scored = []
    for one in (mended, poor):
        part = one.bench.submitted.scored(one.ledger, "test")
        names = one.bench.subject.table.column("id").take(part.positions).texts()
        scored.append(part.scored.take(np.argsort(np.array(names)), "by name"))
    wanted = paired("auc", scored[0], scored[1])
    ends = wanted.interval(0.95)
    assert ends is not None
    assert (auc.difference.value, auc.difference.low, auc.difference.high) == (wanted.value, *ends)
    assert auc.difference.value == pytest.approx(auc.after.value - auc.before.value)
    assert (auc.difference.method, auc.difference.n) == (wanted.method, wanted.n)


def test_other_rows_are_taken_as_independent(poor: Side) -> None:
    result = before_and_after(poor, side("2.0", table(seed=6, first=N)))
    (auc,) = [one for one in of_check(result, "holdout").compared if one.id == "holdout/auc/recipe/test"]
    assert auc.after is not None
    assert auc.difference is not None
    assert auc.difference.how == (
        "as on different rows: the rows of both versions are not the same by their identifiers"
    )
    low, high = auc.difference.low, auc.difference.high
    value = auc.after.value - auc.before.value
    # Zou & Donner 2008, Stat. Med. 27:1693, eq. 6, written out.
    below = np.hypot(auc.after.value - auc.after.low, auc.before.high - auc.before.value)
    above = np.hypot(auc.after.high - auc.after.value, auc.before.value - auc.before.low)
    assert (low, high) == pytest.approx((value - below, value + above))


def test_over_folds_rows_are_not_paired_as_the_fits_vary_too(poor: Side) -> None:
    mended = side("2.0", table())
    old, new = (
        next(one for one in exhibits[1].estimates if one.id == "gap/auc/recipe/out_of_fold")
        for exhibits in (poor.exhibits, mended.exhibits)
    )
    found = _Pairs(poor, mended).difference(old, new)
    assert found.how.startswith("as on different rows: over folds")
    assert found.value == pytest.approx(new.value - old.value)


def test_a_difference_of_rows_that_is_not_that_of_the_figures_is_not_shown(poor: Side) -> None:
    """As of a figure that is a mean over repeats: its difference is its own, whatever single rows say."""
    mended = side("2.0", table())
    (old,) = [one for one in poor.exhibits[0].estimates if one.id == "holdout/auc/recipe/test"]
    (new,) = [one for one in mended.exhibits[0].estimates if one.id == "holdout/auc/recipe/test"]
    moved = new.model_copy(update={"value": new.value + 0.01})
    found = _Pairs(poor, mended).difference(old, moved)
    assert found.value == pytest.approx(moved.value - old.value)
    assert "give another value" in found.how


def test_rows_whose_outcomes_changed_are_no_pairs(poor: Side) -> None:
    rows = table()
    turned = ["no" if text == "yes" else "yes" for text in rows.column("y").texts()[:30]] + rows.column("y").texts()[
        30:
    ]
    columns = tuple(column_from_text("y", turned) if one.name == "y" else one for one in rows.columns)
    result = before_and_after(poor, side("2.0", Table(columns)))
    hows = {one.difference.how for one in of_check(result, "holdout").compared if one.difference is not None}
    assert "as on different rows: rows of the same identifier have other outcomes in the two versions" in hows


def test_a_paired_interval_is_narrower_than_one_of_different_rows(poor: Side) -> None:
    result = before_and_after(poor, side("2.0", table()))
    (auc,) = [one for one in of_check(result, "holdout").compared if one.id == "holdout/auc/recipe/test"]
    assert auc.after is not None
    assert auc.difference is not None
    apart = independent_difference(_as_figure(auc.after), _as_figure(auc.before)).interval(0.95)
    assert apart is not None
    assert auc.difference.high - auc.difference.low < apart[1] - apart[0]


def test_another_threshold_is_still_the_same_figure(poor: Side) -> None:
    other = side("2.0", table())
    moved = replace(other.bench.subject, recipe=Recipe(family="logistic", threshold=0.4))
    bench, ledger = Bench(moved, other.bench.plan), MemoryLedger()
    for made in run_fits(jobs_of(ask(bench)), moved):
        ledger.keep(made)
    exhibits = tuple(evaluate(one, bench, ledger) for one in ask(bench))
    result = before_and_after(poor, Side("2.0", bench, ledger, exhibits))
    at = [one for one in of_check(result, "holdout").compared if one.before.threshold is not None and one.after]
    assert at
    assert all(one.after.threshold == 0.4 for one in at if one.before.threshold == 0.5 and "at:" in one.id)


def standing_of(exhibit: Exhibit, standing: str, **more: object) -> Exhibit:
    return exhibit.model_copy(update={"standing": standing, "open": 0, **more})


@pytest.mark.parametrize(
    ("standings", "mended", "said"),
    [
        (("within", "within"), True, "within its limits"),
        (("within", "outside"), False, "exhibit 2 is outside."),
        (("outside", "outside"), False, "exhibit 1 and exhibit 2 are outside."),
        (("within", "near"), False, "not all of it is clear"),
        (("within", "unsettled"), None, "can't tell"),
        ((None, None), None, "No limit is set"),
    ],
)
def test_what_is_said_follows_the_marks(
    poor: Side, standings: tuple[str | None, ...], mended: bool | None, said: str
) -> None:
    shown = tuple(standing_of(one, mark) for one, mark in zip(poor.exhibits, standings, strict=True))  # type: ignore[arg-type]
    result = before_and_after(poor, replace(poor, version="2.0", exhibits=shown))
    assert (result.mended, said in result.words) == (mended, True), result.words


def test_another_release_of_the_checks_is_told(poor: Side) -> None:
    said = "computed by another release of Brookfall"
    assert said not in before_and_after(poor, poor).words
    old = [
        one.model_copy(update={"provenance": one.provenance.model_copy(update={"program": "0" * 64})})
        for one in poor.exhibits
    ]
    assert said in before_and_after(replace(poor, exhibits=tuple(old)), poor).words


def test_within_with_something_open_is_not_mended(poor: Side) -> None:
    shown = tuple(standing_of(one, "within", open=1) for one in poor.exhibits)
    assert before_and_after(poor, replace(poor, exhibits=shown)).mended is None


def test_a_check_that_can_not_be_carried_out_settles_nothing(poor: Side) -> None:
    gone = (poor.exhibits[0], poor.exhibits[1].model_copy(update={"state": "not_applicable", "estimates": ()}))
    result = before_and_after(poor, replace(poor, version="2.0", exhibits=gone))
    assert result.mended is None
    assert "Exhibit 2 could not be computed on 2.0" in result.words
    assert all(one.after is None and one.difference is None for one in result.exhibits[1].compared)


def test_each_figure_that_is_judged_is_compared_under_the_same_limit(poor: Side) -> None:
    """Of a gap the deciding part is judged, which is another one here before than after."""
    mended = side("2.0", table())
    found = of_check(before_and_after(poor, mended), "gap")
    leading = [
        [one.id for one in exhibit.estimates if one.leading] for exhibit in (poor.exhibits[1], mended.exhibits[1])
    ]
    assert leading[0] != leading[1]
    assert [one.id for one in found.compared] == sorted({*leading[0], *leading[1]})
    judged = [one.limit for figure in found.compared for one in (figure.before, figure.after) if one and one.leading]
    assert len(judged) == 2
    assert isinstance(judged[0], Limit)
    assert judged[0] == judged[1]
