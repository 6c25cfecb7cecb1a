"""What of a plan each check reads, so that a change of the plan makes stale only what it can have changed."""

from brookfall.core.foundation import digest
from brookfall.core.plan.plan import Plan

_BY_GROUP = ("threshold", "groups", "combinations", "proxies", "leaving_out", "group_thresholds", "group_versions")

_READERS: dict[str, tuple[str, ...]] = {
    "checks": (),
    "splits": ("luck",),
    "shuffles": ("shuffled", "optimism", "coefficients"),
    "ratio_to": ("choice",),
    "challengers": ("challengers",),
    "in_use": ("in_use", "group_versions"),
    "target_observed": (),
    "references": ("groups", "combinations", "leaving_out", "group_thresholds", "group_versions"),
    "harms": ("groups", "combinations", "leaving_out", "group_thresholds", "group_versions"),
    "harm_reason": (),
    "bands": _BY_GROUP,
    "merged": _BY_GROUP,
    "policy.name": (),
    "policy.tier": (),
    "policy.alone": ("leaks", "without_leaks"),
    "policy.psi": ("shift",),
    "policy.gap": ("gap",),
    "policy.gap_r2": ("gap",),
    "policy.capacity": ("shuffled",),
    "policy.shuffled_p": ("shuffled",),
    "policy.fold_sd_ratio": ("cross_validation",),
    "policy.percentile": ("luck",),
    "policy.better_than_baseline": ("baseline",),
    "policy.worse_than_challenger": ("challengers", "in_use"),
    "policy.group_ratio": ("groups", "combinations", "group_thresholds", "group_versions"),
    "policy.group_difference": ("groups", "combinations", "group_thresholds", "group_versions"),
    "policy.group_slope": ("groups", "group_versions"),
}
"""The checks that read a field of the plan; a field that is not here is read by all."""


def read_of(check: str, plan: Plan) -> dict[str, object]:
    """The fields of the plan that can change this check's exhibit.

    >>> from brookfall.core.plan.plan import standard_plan
    >>> plan = standard_plan(2, given_parts=False)
    >>> other = plan.model_copy(update={"splits": 33})
    >>> "splits" in read_of("luck", other), "splits" in read_of("gap", other)
    (True, False)
    """
    # What is as by default is left out: a field that plans get later, and that leaves all as it was, is no change.
    whole = plan.model_dump(mode="json", exclude_defaults=True)
    policy = whole.pop("policy", {})
    fields = {**whole, **{f"policy.{name}": value for name, value in policy.items()}}
    return {name: value for name, value in fields.items() if check in _READERS.get(name, (check,))}


def content_key(check: str, plan: Plan, rest: dict[str, object]) -> str:
    """Names an exhibit by everything that can change it: what it reads of the plan, and ``rest``, what else it is of.

    >>> from brookfall.core.plan.plan import standard_plan
    >>> plan = standard_plan(2, given_parts=False)
    >>> other = plan.model_copy(update={"splits": 77})
    >>> content_key("gap", plan, {}) == content_key("gap", other, {})
    True
    """
    return digest.of_json({"check": check, "plan": read_of(check, plan), **rest})
