"""The criteria that groups are compared by, the harm that each is about, and what of it a policy limits."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from brookfall.core.evidence.limit import Limit
from brookfall.core.judge.policy import Policy
from brookfall.core.plan.plan import Harm, Plan

GROUPS_OF_PLAN = ("references", "harms", "bands", "merged", "policy.grounds")
"""What of the plan says how groups are made and what they are judged by; a check of groups reads all of it."""

Kind = Literal["ratio", "difference", "itself"]
LimitName = Literal["group_ratio", "group_difference", "group_slope"]


@dataclass(frozen=True)
class Criterion:
    """A measure that is taken in every group.

    ``kinds`` are the ways in which a group is compared with the reference, each with the policy's limit on it where
    there is one; ``itself`` judges the group's own value. ``words`` is the heading of its strip. ``harm`` is what the
    criterion guards against; None: it is shown and never judged.
    """

    measure: str
    words: str
    kinds: tuple[tuple[Kind, LimitName | None], ...]
    harm: Harm | None = None

    def limits(self, plan: Plan) -> dict[Kind, Limit | None]:
        """The limit of every kind, None where nothing is judged: there is none, or its harm is not the plan's."""
        judged = self.harm in plan.harms
        return {kind: _limit(plan.policy, name) if judged and name else None for kind, name in self.kinds}

    def lower_is_worse(self, plan: Plan) -> bool:
        """Which way is worse for people: fewer found, fewer right selections, more wrong ones.

        A lower share selected is worse, unless being wrongly picked matters and being passed over does not.
        """
        if self.measure == "selection_rate":
            return "passed_over" in plan.harms or "picked" not in plan.harms
        return self.measure != "false_positive_rate"

    @property
    def is_share(self) -> bool:
        """Whether it is a share of rows."""
        return self.measure.endswith(("_rate", "_value"))


def _limit(policy: Policy, name: LimitName) -> Limit:
    return {
        "group_ratio": policy.group_ratio,
        "group_difference": policy.group_difference,
        "group_slope": policy.group_slope,
    }[name]


OF_DECISIONS: tuple[Criterion, ...] = (
    Criterion(
        "selection_rate",
        "Selected",
        (("ratio", "group_ratio"), ("difference", None)),
        "unequal_shares",
    ),
    Criterion(
        "true_positive_rate",
        "Found, of those truly positive (TPR)",
        (("difference", "group_difference"), ("ratio", "group_ratio")),
        "passed_over",
    ),
    Criterion(
        "false_positive_rate",
        "Picked, of those truly negative (FPR)",
        (("difference", "group_difference"),),
        "picked",
    ),
    Criterion(
        "positive_predictive_value",
        "Truly positive, of those selected (PPV)",
        (("ratio", "group_ratio"),),
        "meaning",
    ),
    Criterion("calibration_slope", "Calibration slope", (("itself", "group_slope"),), "meaning"),
    Criterion("mean_score", "Mean score", (("difference", None),)),
)
OF_NUMBERS: tuple[Criterion, ...] = (
    Criterion("mean_score", "Mean prediction", (("difference", None),)),
    Criterion("bias", "Mean error (prediction − outcome)", (("difference", None),)),
    Criterion("mae", "Mean absolute error", (("difference", None),)),
)
BESIDE = (
    "base_rate",
    "false_negative_rate",
    "negative_predictive_value",
    "accuracy",
    "auc",
    "calibration_intercept",
)
"""What is told of every group of a yes/no outcome beside the criteria."""

CRITERIA_OF_HARM: Mapping[Harm, tuple[str, ...]] = {
    "unequal_shares": ("selection_rate",),
    "passed_over": ("true_positive_rate",),
    "picked": ("false_positive_rate",),
    "meaning": ("positive_predictive_value", "calibration_slope"),
}


def criteria_of(outcome: str) -> tuple[Criterion, ...]:
    """The criteria of an outcome, in the order they are read.

    >>> [one.measure for one in criteria_of("number")]
    ['mean_score', 'bias', 'mae']
    """
    return OF_NUMBERS if outcome == "number" else OF_DECISIONS
