"""The criteria that groups are compared by, the harm that each is about, and what of it a policy limits."""

from dataclasses import dataclass, replace
from math import inf
from typing import Literal

import numpy as np

from brookfall.core.evidence.limit import Limit
from brookfall.core.judge.policy import Policy
from brookfall.core.measure.counts import share_rows
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.scored import Scored, ScoredNumbers
from brookfall.core.plan.plan import Contrast, Harm, Plan
from brookfall.core.table.outcome import Outcome

GROUPS_OF_PLAN = ("references", "harms", "contrasts", "bands", "merged", "policy.grounds", "policy.ground_words")
"""What of the plan says how groups are made and what they are judged by; a check of groups reads all of it."""

Kind = Literal["ratio", "difference", "itself"]
_RARE = 0.1
"""Share of the truly negative rows that are picked, under which a difference of 0.1 would be no limit at all."""


@dataclass(frozen=True)
class Criterion:
    """A measure that is taken in every group.

    ``kinds`` are the ways in which a group is set against others, the first of them the one that is judged: difference
    and ratio answer one question. ``itself`` judges the group's own value. ``words`` is the heading of its strip.
    ``harm`` is what the criterion guards against; with None it is judged where it has a limit, whatever the harms.
    ``limit`` is the policy's, None where it is shown and never judged.
    """

    measure: str
    words: str
    kinds: tuple[Kind, ...]
    limit: Literal["group_ratio", "group_ratio_of_rare", "group_difference", "group_slope", "group_mean_error"] | None
    harm: Harm | None = None

    @property
    def contrast(self) -> Literal["ratio", "difference"] | None:
        """The judged way to set a group against others; None where none is."""
        return self.kinds[0] if self.limit is not None and self.kinds[0] != "itself" else None

    def limits(self, plan: Plan, rows: Scored | ScoredNumbers) -> dict[Kind, Limit | None]:
        """The limit of every kind, None where nothing is judged: there is none, or its harm is not the plan's."""
        limits: dict[Kind, Limit | None] = dict.fromkeys(self.kinds)
        if self.limit is not None and (self.harm is None or self.harm in plan.harms):
            limits[self.kinds[0]] = _limit_of(self.limit, plan.policy, rows)
        return limits

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

    def range_of(self, kind: Kind) -> tuple[float, float]:
        """What a comparison of two groups can be."""
        if kind == "ratio":
            return 0.0, inf
        return (-1.0, 1.0) if self.is_share else (-inf, inf)


def _limit_of(name: str, policy: Policy, rows: Scored | ScoredNumbers) -> Limit:
    if name == "group_mean_error":
        return in_unit_of(policy.group_mean_error_in_sd, rows)
    limit: Limit = getattr(policy, name)
    return limit


def in_unit_of(limit: Limit, rows: Scored | ScoredNumbers) -> Limit:
    """A limit in standard deviations of the outcome, in the outcome's own unit to three digits.

    >>> rows = ScoredNumbers(key="", outcomes=np.array([0.0, 4.0, 8.0]), predictions=np.zeros(3))
    >>> in_unit_of(Limit(at_least=-0.1, at_most=0.1, ideal=0), rows).words
    'between −0.4 and 0.4'
    """
    sd = float(np.std(rows.outcomes, ddof=1)) if len(rows) > 1 else 0.0
    low, high = (None if end is None else float(f"{end * sd:.3g}") for end in (limit.at_least, limit.at_most))
    return limit.model_copy(update={"at_least": low, "at_most": high})


_OF_DECISIONS: tuple[Criterion, ...] = (
    Criterion("selection_rate", "Selected", ("ratio", "difference"), "group_ratio", "unequal_shares"),
    Criterion(
        "true_positive_rate",
        "Found, of those truly positive (TPR)",
        ("difference", "ratio"),
        "group_difference",
        "passed_over",
    ),
    Criterion(
        "false_positive_rate",
        "Picked, of those truly negative (FPR)",
        ("difference", "ratio"),
        "group_difference",
        "picked",
    ),
    Criterion(
        "positive_predictive_value",
        "Truly positive, of those selected (PPV)",
        ("ratio", "difference"),
        "group_ratio",
        "meaning",
    ),
    Criterion("calibration_slope", "Calibration slope", ("itself",), "group_slope", "meaning"),
    Criterion("mean_score", "Mean score", ("difference",), None),
)
_OF_NUMBERS: tuple[Criterion, ...] = (
    Criterion("bias", "Mean error (prediction − outcome)", ("difference",), "group_mean_error"),
    Criterion("mean_score", "Mean prediction", ("difference",), None),
    Criterion("mae", "Mean absolute error", ("difference",), None),
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


def criteria_of(plan: Plan, rows: Scored | ScoredNumbers) -> tuple[Criterion, ...]:
    """The criteria of these rows, in the order they are read, each judged as the plan chooses.

    Where it doesn't choose, false positive rates are judged by their ratio where under a tenth of all negatives are
    picked.

    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(1), predictions=np.zeros(1))
    >>> from brookfall.core.check.example import small_bench
    >>> [one.measure for one in criteria_of(small_bench().plan, rows)]
    ['bias', 'mean_score', 'mae']
    """
    if isinstance(rows, ScoredNumbers):
        return _OF_NUMBERS
    return tuple(_as_chosen(one, plan, rows) for one in _OF_DECISIONS)


def _as_chosen(criterion: Criterion, plan: Plan, rows: Scored) -> Criterion:
    if criterion.contrast is None:
        return criterion
    rare = criterion.measure == "false_positive_rate" and _is_rare(rows)
    named = {str(measure): way for measure, way in plan.contrasts.items()}
    chosen: Contrast = named.get(criterion.measure, "ratio" if rare else criterion.contrast)
    kinds: tuple[Kind, Kind] = ("ratio", "difference") if chosen == "ratio" else ("difference", "ratio")
    if chosen == "difference":
        return replace(criterion, kinds=kinds, limit="group_difference")
    return replace(criterion, kinds=kinds, limit="group_ratio_of_rare" if rare else "group_ratio")


def _is_rare(rows: Scored) -> bool:
    among, hits = share_rows("false_positive_rate", rows)
    return len(among) > 0 and share_of(hits, among).value < _RARE


def followed(outcome: Outcome, plan: Plan) -> tuple[str, ...]:
    """The measures whose parity is followed from model to model: the first of every harm that the plan names, of a
    number all.

    >>> from brookfall.core.check.example import small_bench
    >>> followed("number", small_bench().plan)
    ('bias', 'mean_score', 'mae')
    """
    if outcome == "number":
        return tuple(one.measure for one in _OF_NUMBERS)
    of_harm = {one.harm: one.measure for one in reversed(_OF_DECISIONS)}
    return tuple(of_harm[harm] for harm in plan.harms)
