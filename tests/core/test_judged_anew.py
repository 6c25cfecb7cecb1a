"""Standings by another policy, read from what was kept, are those that the checks themselves come to by it."""

from collections.abc import Callable

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.judged_anew import KeptEstimate, KeptExhibit, NeedsRunError, judged_anew, kept_estimate
from brookfall.core.check.registry import checks
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.run import run_fits
from brookfall.core.judge.policy import Materiality, Policy, default_policy
from brookfall.core.retest.run import ask, evaluate, jobs_of
from brookfall.core.submission.subject import Subject
from tests.conftest import small_plan

Judge = Callable[[Policy], dict[str, Exhibit]]
BUILT_IN = default_policy(3)
CHECKS = (*small_plan().checks, "shuffled", "stability")


@pytest.fixture(scope="module")
def by(subject: Subject) -> Judge:
    """The plan's exhibits by a policy, by check; its fits are made once for all policies."""
    ledger = MemoryLedger()
    made: set[tuple[str, ...]] = set()
    kept_exhibits: dict[str, dict[str, Exhibit]] = {}

    def exhibits(policy: Policy) -> dict[str, Exhibit]:
        key = policy.model_dump_json()
        if key not in kept_exhibits:
            bench = Bench(subject, small_plan(policy=policy, checks=CHECKS))
            asked = ask(bench)
            jobs = {(job.fit.key, *sorted(one.key for one in job.readings)): job for job in jobs_of(asked)}
            for result in run_fits(tuple(job for name, job in jobs.items() if name not in made), subject):
                ledger.keep(result)
            made.update(jobs)
            kept_exhibits[key] = {one.check.name: evaluate(one, bench, ledger) for one in asked}
        return kept_exhibits[key]

    return exhibits


def kept(exhibit: Exhibit) -> KeptExhibit:
    leading = [one for estimate in exhibit.estimates if (one := kept_estimate(estimate)) is not None]
    return KeptExhibit(checks()[exhibit.check], exhibit.standing, leading)


def other(**limits: object) -> Policy:
    return BUILT_IN.model_copy(update=limits)


@pytest.mark.parametrize(
    ("policy", "moves", "needs_run"),
    [
        (other(gap=Limit(at_most=0.001, ideal=0)), {"gap"}, set()),
        (other(fold_sd_ratio=Limit(at_most=0.5, ideal=0.1)), {"cross_validation"}, set()),
        (other(calibration_slope=Limit(at_least=2, at_most=3, ideal=2.5)), {"calibration"}, set()),
        (other(observed_over_expected=Limit(at_least=2, at_most=3, ideal=2.5)), {"calibration"}, set()),
        (other(group_ratio=Limit(at_least=0.99, at_most=1.01, ideal=1, burden="model")), {"groups"}, set()),
        (other(group_slope=Limit(at_least=0.99, at_most=1.01, ideal=1)), set(), set()),
        (other(better_than_baseline=Limit(at_least=0.5, burden="model")), {"baseline"}, set()),
        (other(shuffled_p=Limit(at_most=0.001)), set(), set()),
        (other(percentile=Limit(at_most=1, ideal=0.5)), set(), set()),
        (other(approved_years=9, days_to_answer=3), set(), set()),
        (other(materiality=Materiality(bounded=0.01)), set(), {"claims"}),
        (other(alone=Limit(at_most=0.5)), {"leaks"}, set()),
        (other(capacity=Limit(at_most=0.2, ideal=0)), set(), {"shuffled"}),
        (other(limits={"stability": Limit(at_most=0.05)}), set(), {"stability"}),
    ],
)  # fmt: skip
def test_what_was_kept_tells_what_the_checks_come_to(
    by: Judge, policy: Policy, moves: set[str], needs_run: set[str]
) -> None:
    before, after = by(BUILT_IN), by(policy)
    told, untold, moved = {}, set(), set()
    for name, exhibit in before.items():
        try:
            told[name] = judged_anew(kept(exhibit), BUILT_IN, policy)
        except NeedsRunError:
            untold.add(name)
            continue
        if told[name] != exhibit.standing:
            moved.add(name)
    assert told == {name: after[name].standing for name in told}
    assert untold == needs_run
    assert moves <= moved


def test_another_level_of_intervals_needs_every_check_anew(by: Judge) -> None:
    gap = by(BUILT_IN)["gap"]
    with pytest.raises(NeedsRunError):
        judged_anew(kept(gap), BUILT_IN, other(level=0.9))


def estimate(**more: object) -> KeptEstimate:
    given = {"value": 0.04, "low": 0.03, "high": 0.045, "wide_low": 0.02, "wide_high": 0.06, "few": False}
    limit = {"limit": BUILT_IN.gap, "standing": Standing.WITHIN, "quantity": "auc"}
    return KeptEstimate(**{**given, **limit, **more})  # type: ignore[arg-type]


def gap_of(*leading: KeptEstimate, standing: Standing = Standing.WITHIN) -> KeptExhibit:
    return KeptExhibit(checks()["gap"], standing, leading)


TIGHT = other(gap=Limit(at_most=0.01, ideal=0))


def test_a_limit_of_the_plan_s_own_stays() -> None:
    own = BUILT_IN.gap.model_copy(update={"policy": "≤ 0.05", "at_most": 0.5})
    assert judged_anew(gap_of(estimate(limit=own)), BUILT_IN, TIGHT) is Standing.WITHIN
    assert judged_anew(gap_of(estimate()), BUILT_IN, TIGHT) is Standing.OUTSIDE


def test_what_does_not_follow_from_what_was_kept_is_not_guessed() -> None:
    for doubtful in (
        gap_of(estimate(standing=Standing.NEAR), standing=Standing.NEAR),
        gap_of(estimate(), standing=Standing.UNSETTLED),
        gap_of(estimate(low=None)),
    ):
        with pytest.raises(NeedsRunError):
            judged_anew(doubtful, BUILT_IN, TIGHT)
    in_its_unit = gap_of(estimate(limit=Limit(at_most=0.07, ideal=0), quantity="log_loss"))
    assert judged_anew(in_its_unit, BUILT_IN, TIGHT) is Standing.WITHIN
    with pytest.raises(NeedsRunError):
        judged_anew(in_its_unit, BUILT_IN, other(gap_loss=Limit(at_most=0.01, ideal=0)))


def test_too_few_rows_stay_open() -> None:
    few = estimate(few=True, standing=None)
    assert judged_anew(gap_of(few, standing=Standing.UNSETTLED), BUILT_IN, TIGHT) is Standing.UNSETTLED
    both = gap_of(few, estimate(), standing=Standing.UNSETTLED)
    assert judged_anew(both, BUILT_IN, TIGHT) is Standing.OUTSIDE


def test_an_estimate_without_an_interval_is_judged_by_its_value() -> None:
    bare = estimate(low=None, high=None, wide_low=None, wide_high=None)
    assert judged_anew(gap_of(bare), BUILT_IN, other(gap=Limit(at_most=0.041, ideal=0))) is Standing.NEAR


def segments_of(standing: Standing, *leading: KeptEstimate) -> KeptExhibit:
    return KeptExhibit(checks()["segments"], standing, leading)


def segment(low: float, high: float, standing: Standing) -> KeptEstimate:
    ends = {"value": (low + high) / 2, "low": low, "high": high, "wide_low": low - 0.01, "wide_high": high + 0.01}
    return estimate(**ends, limit=BUILT_IN.segment_ratio, standing=standing, quantity="rmse_for_its_cases")


def test_what_is_open_leaves_the_whole_within_as_it_did() -> None:
    wide, tight = (other(segment_ratio=Limit(at_most=most, ideal=1)) for most in (1.3, 1.1))
    well, edge = segment(0.98, 1.05, Standing.WITHIN), segment(0.98, 1.15, Standing.WITHIN)
    unknown = segment(0.9, 1.4, Standing.UNSETTLED)
    cleared = segments_of(Standing.WITHIN, well, edge, unknown)
    assert judged_anew(cleared, BUILT_IN, wide) is Standing.WITHIN
    with pytest.raises(NeedsRunError):
        judged_anew(cleared, BUILT_IN, tight)
    unsettled = segments_of(Standing.UNSETTLED, well, edge, unknown)
    assert judged_anew(unsettled, BUILT_IN, tight) is Standing.UNSETTLED
    assert judged_anew(unsettled, BUILT_IN, wide) is Standing.UNSETTLED
    with pytest.raises(NeedsRunError):
        judged_anew(segments_of(Standing.WITHIN, well, edge), BUILT_IN, tight)
