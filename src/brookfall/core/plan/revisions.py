"""Reads plans of every revision that was ever written, as one of the present revision.

Revision 1 is what was written before plans said their revision. Its reader is frozen: it turns what was kept into what
is kept now, and is never changed for the sake of what comes later.
"""

from collections.abc import Mapping

from brookfall.core.plan.plan import PLAN_REVISION, Plan

FORMER_CHECKS = {
    "selection": "groups",
    "selection_pairs": "combinations",
    "errors": "groups",
    "errors_pairs": "combinations",
}
"""Names of checks in plans of revision 1, and what these are called since."""


def read_plan(kept: Mapping[str, object]) -> Plan:
    """The plan that was kept, whatever its revision.

    Parameters
    ----------
    kept
        The plan as plain data, as read from JSON or YAML.

    Raises
    ------
    ValueError
        It is of a revision that this program does not know.
    pydantic.ValidationError
        A field can't be read.

    Examples
    --------
    >>> parts = {"kind": "shares", "training": 70, "test": 30}
    >>> kept = {"seed": 1, "parts": parts, "cross_validation": {}, "checks": ["errors"], "policy": {"tier": 2}}
    >>> read_plan(kept).checks, read_plan(kept).revision
    (('groups',), 2)
    """
    revision = kept.get("revision", 1)
    if revision == 1:
        return Plan.model_validate(_from_1(kept))
    if revision != PLAN_REVISION:
        raise ValueError(f"the plan is of revision {revision}, and this program knows revisions up to {PLAN_REVISION}")
    return Plan.model_validate(kept)


def _from_1(kept: Mapping[str, object]) -> dict[str, object]:
    checks = kept.get("checks")
    renamed = [FORMER_CHECKS.get(str(name), name) for name in checks] if isinstance(checks, list | tuple) else checks
    policy = kept.get("policy")
    return {
        **{name: value for name, value in kept.items() if name != "revision"},
        **({} if renamed is None else {"checks": renamed}),
        **({"policy": {**policy, "revision": PLAN_REVISION}} if isinstance(policy, Mapping) else {}),
        "revision": PLAN_REVISION,
    }
