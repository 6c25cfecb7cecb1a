"""Where a plan departs from the policy of its tier: each limit that differs, with the reviewer's reason for it."""

from dataclasses import dataclass

from brookfall.core.evidence.limit import Limit
from brookfall.core.judge.policy import Policy, default_policy
from brookfall.core.judge.policy_facts import LIMITS
from brookfall.core.plan.plan import Plan

OF_CHECKS = "limits."
"""Opens the name of a limit that stands among the limits of checks."""
_NONE = "no limit of its own"


@dataclass(frozen=True)
class Departure:
    """A limit of the plan that is not the policy's: its name in the plan, what it is on, both in words, the reason."""

    name: str
    what: str
    policy: str
    plan: str
    reason: str

    @property
    def words(self) -> str:
        return f"The limit on {self.what} is {self.plan} in this plan, where the policy says {self.policy}"

    def as_override(self) -> dict[str, str]:
        """As the evidence file lists it among the overrides."""
        return {
            "kind": "limit",
            "limit": self.name,
            "policy": self.policy,
            "plan": self.plan,
            "reason": self.reason,
        }


def departures(plan: Plan) -> tuple[Departure, ...]:
    """Every limit that departs from the policy of the plan's tier, in the order of the policy.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> plan = standard_plan(2, given_parts=False)
    >>> departures(plan)
    ()
    >>> loose = plan.policy.model_copy(update={"gap": Limit(at_most=0.5, ideal=0)})
    >>> [one.words for one in departures(plan.model_copy(update={"policy": loose}))]
    ['The limit on the gap is ≤ 0.5 in this plan, where the policy says ≤ 0.05']
    """
    house, own = _house(plan), plan.policy
    found = [
        (name, LIMITS[name], _full_words(theirs), _full_words(ours))
        for name, (theirs, ours) in _departing(plan).items()
    ]
    found += [
        (f"{OF_CHECKS}{name}", name.replace("_", " "), _words_or_none(theirs), _words_or_none(ours))
        for name, (theirs, ours) in _departing_of_checks(plan).items()
    ]
    if house.level != own.level:
        found.append(("level", "the level of intervals", f"{100 * house.level:g} %", f"{100 * own.level:g} %"))
    return tuple(
        Departure(name, what, before, after, plan.overrides.get(name, "").strip())
        for name, what, before, after in found
    )


def not_the_plans(plan: Plan, before: Plan) -> tuple[str, ...]:
    """What the plan would change of the policy that no plan may depart from, in words: all but limits and level.

    ``before`` is the case's plan as it stands, which has the policy of its tier.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> first, third = standard_plan(1, given_parts=False), standard_plan(3, given_parts=False)
    >>> not_the_plans(third, first)
    ('tier', 'statements', 'approved years', 'rows kept years')
    >>> loose = first.policy.model_copy(update={"gap": third.policy.psi, "level": 0.9})
    >>> not_the_plans(first.model_copy(update={"policy": loose}), first)
    ()
    """
    free = {*LIMITS, "limits", "level", "revision"}
    fixed = [name for name in Policy.model_fields if name not in free]
    changed = [name.replace("_", " ") for name in fixed if getattr(plan.policy, name) != getattr(before.policy, name)]
    return (*changed, *(("policy in force",) if plan.house != before.house else ()))


def under_policy_of(plan: Plan, other: Plan) -> Plan:
    """A plan of elsewhere under the policy of another: its own limits stay, and may depart from it now.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> first, third = standard_plan(1, given_parts=False), standard_plan(3, given_parts=False)
    >>> not_the_plans(under_policy_of(third, first), first)
    ()
    """
    limits = {name: getattr(plan.policy, name) for name in (*LIMITS, "limits", "level")}
    asked = {one.name for one in other.policy.statements}
    kept = tuple(name for name in plan.statements if name in asked)
    update = {"policy": other.policy.model_copy(update=limits), "house": other.house, "statements": kept}
    return plan.model_copy(update=update)


def unexplained(plan: Plan) -> Departure | None:
    """The first departure that has no reason; None where all have one."""
    return next((one for one in departures(plan) if not one.reason), None)


def with_marks(plan: Plan) -> Policy:
    """The plan's policy, every limit that departs from that of the house told what the house's is."""
    policy = plan.policy
    changed = {
        name: ours.model_copy(update={"policy": _full_words(theirs)})
        for name, (theirs, ours) in _departing(plan).items()
    }
    limits = {
        name: ours.model_copy(update={"policy": _words_or_none(theirs)})
        for name, (theirs, ours) in _departing_of_checks(plan).items()
        if ours is not None
    }
    if not changed and not limits:
        return policy
    return policy.model_copy(update={**changed, "limits": {**policy.limits, **limits}})


def _house(plan: Plan) -> Policy:
    return plan.house or default_policy(plan.policy.tier)


def _departing(plan: Plan) -> dict[str, tuple[Limit, Limit]]:
    """The limits that are not those of the house's policy: the house's and the plan's, by name."""
    house = _house(plan)
    pairs = {name: (getattr(house, name), getattr(plan.policy, name)) for name in LIMITS}
    return {name: (theirs, ours) for name, (theirs, ours) in pairs.items() if _bare(theirs) != _bare(ours)}


def _departing_of_checks(plan: Plan) -> dict[str, tuple[Limit | None, Limit | None]]:
    """The same of limits of checks, None where one of the two has none; by check."""
    theirs, ours = _house(plan).limits, plan.policy.limits
    pairs = {name: (theirs.get(name), ours.get(name)) for name in sorted({*theirs, *ours})}
    return {name: pair for name, pair in pairs.items() if len({one and _bare(one) for one in pair}) > 1}


def _words_or_none(limit: Limit | None) -> str:
    return _NONE if limit is None else limit.words


def _bare(limit: Limit) -> Limit:
    return limit.model_copy(update={"policy": None})


def _full_words(limit: Limit) -> str:
    """A limit with who bears the burden, where that is the model."""
    return limit.words + (", to be shown by the model" if limit.burden == "model" else "")
