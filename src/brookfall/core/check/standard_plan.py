"""The standard plan of a tier: which checks it has follows from what each check says of itself."""

from brookfall.core.check.registry import called_now, checks, checks_of
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.core.judge.policy import STANDARD_PLANS, default_policy
from brookfall.core.measure.registry import forms, measures, standard_measure
from brookfall.core.plan.plan import InUse, Plan
from brookfall.core.resample.declared import Folds, Given, Shares
from brookfall.core.resample.parts import By

DEFAULT_SEED = 20417
_HIGH_STAKES = 1


def standard_plan(
    tier: int,
    *,
    outcome: str = "binary",
    given_parts: bool,
    grouped: bool = False,
    timed: bool = False,
    observed: bool = False,
    scores_alone: bool = False,
    house: HousePolicy | None = None,
    in_use: InUse | None = None,
    capacity: float | None = None,
) -> Plan:
    """The standard plan of a tier and outcome; with a part column the data's own parts are used.

    With a version in use the submitted one is set against it. Where a column groups rows, whole groups stay together:
    a row must not be tested by its own group. Where a column orders rows in time, the latest are unseen and
    cross-validation goes forward in time. With ``observed`` a column says whose outcome was looked at, with
    ``scores_alone`` neither a recipe nor a fitted model came. ``capacity`` is the per cent of cases that can be acted
    on. By the ``house``'s policy, or the built-in one.

    >>> plan = standard_plan(2, outcome="number", given_parts=False)
    >>> plan.main_measure, plan.cross_validation.words
    ('r2', '10 folds × 1')
    """
    standard = STANDARD_PLANS[tier] if house is None else house.standard(tier)
    own = None if house is None else house.policy(tier, outcome)
    policy = own or default_policy(tier)
    asked = {name for one in policy.requirements for each in one.requirements for name in each.checks}
    by: By = "groups" if grouped else "time" if timed else "rows"
    return Plan(
        seed=DEFAULT_SEED,
        parts=Given() if given_parts else Shares(**standard.shares, by=by),
        cross_validation=Folds(folds=standard.folds, repeats=1 if by == "time" else standard.repeats, by=by),
        splits=standard.splits,
        shuffles=standard.shuffles,
        main_measure=standard_measure(outcome),
        challengers="tuned" if tier == _HIGH_STAKES else "default",
        in_use=in_use,
        capacity=capacity,
        checks=tuple(
            name
            for name in checks_of(outcome)
            if (tier in checks()[name].tiers or name in asked)
            and (in_use is not None or not checks()[name].needs_version)
            and (observed or not checks()[name].needs_observed)
            and (scores_alone or not checks()[name].needs_scores_alone)
        ),
        statements=tuple(one.name for one in policy.statements),
        policy=policy,
        house=own,
    )


def known_checks(plan: Plan, file: str | None = None) -> Plan:
    """The plan with its checks as they are called now and in the order of the questions, once all it names is there.

    Raises
    ------
    UserError
        It names a check or a measure that there is not.

    Examples
    --------
    >>> plan = standard_plan(2, given_parts=False)
    >>> known_checks(plan.model_copy(update={"checks": ("gap", "errors", "holdout")})).checks
    ('holdout', 'gap', 'groups')
    """
    named = {called_now(name) for name in plan.checks}
    unknown = sorted(named - set(checks()))
    if unknown:
        raise UserError(f"'{unknown[0]}' is not a check.", todo=f"Checks are {', '.join(checks())}.", file=file)
    if plan.main_measure not in measures():
        raise UserError(
            f"main_measure: there is no measure called '{plan.main_measure}'.",
            todo=f"Measures are {', '.join(measures())}.",
            file=file,
        )
    return plan.model_copy(update={"checks": tuple(name for name in checks() if name in named)})


def fitting(plan: Plan, outcome: str, file: str) -> Plan:
    """The plan without checks that the outcome does not have.

    Raises
    ------
    UserError
        It judges by a measure of another outcome, names a check that there is not, or none that this outcome has.

    Examples
    --------
    >>> fitting(standard_plan(2, given_parts=False), "binary", "plan.yaml").main_measure
    'auc'
    """
    plan = known_checks(plan, file)
    if plan.main_measure not in forms(outcome, "plan"):
        raise UserError(
            f"The plan judges by {plan.main_measure}, which a {outcome} outcome does not have.",
            todo=f"Let it judge by one of {', '.join(forms(outcome, 'plan'))}.",
            file=file,
        )
    kept = tuple(check for check in plan.checks if check in checks_of(outcome))
    if not kept:
        raise UserError(f"No check of the plan is for a {outcome} outcome.", todo="Choose another plan.", file=file)
    return plan.model_copy(update={"checks": kept})


def by_the_policy_of(plan: Plan, standard: Plan) -> Plan:
    """A plan by the policy of another tier: its limits and statements, and what it asks for beside the plan's checks.

    Reasons for other limits were given against the limits before, and are let go. ``standard`` is that tier's plan for
    the same submission.

    >>> plan, other = standard_plan(1, given_parts=False), standard_plan(3, given_parts=False)
    >>> by_the_policy_of(plan, other).policy.tier, by_the_policy_of(plan, other).statements
    (3, ('use',))
    >>> set(plan.checks) <= set(by_the_policy_of(other, plan).checks)
    True
    """
    checks_ = (*plan.checks, *(name for name in standard.checks if name not in plan.checks))
    kept: dict[str, object] = {
        "policy": standard.policy,
        "house": standard.house,
        "overrides": {},
        "statements": standard.statements,
        "checks": checks_,
    }
    return Plan.model_validate(plan.model_copy(update=kept).model_dump())
