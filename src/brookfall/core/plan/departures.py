"""Where a plan departs from the policy of its tier: each limit that differs, with the reviewer's reason for it."""

from dataclasses import dataclass

from brookfall.core.evidence.limit import Limit
from brookfall.core.judge.policy import Policy, default_policy
from brookfall.core.plan.facts import LIMITS
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
    house, own = default_policy(plan.policy.tier), plan.policy
    found = [
        (name, LIMITS[name], _full_words(theirs), _full_words(ours)) for name, (theirs, ours) in _departing(own).items()
    ]
    found += [
        (f"{OF_CHECKS}{name}", name.replace("_", " "), _NONE, limit.words) for name, limit in sorted(own.limits.items())
    ]
    if house.level != own.level:
        found.append(("level", "the level of intervals", f"{100 * house.level:g} %", f"{100 * own.level:g} %"))
    return tuple(
        Departure(name, what, before, after, plan.overrides.get(name, "").strip())
        for name, what, before, after in found
    )


def unexplained(plan: Plan) -> Departure | None:
    """The first departure that has no reason; None where all have one."""
    return next((one for one in departures(plan) if not one.reason), None)


def with_marks(policy: Policy) -> Policy:
    """The same policy, every limit that departs from that of the tier told what the tier's is."""
    changed = {
        name: ours.model_copy(update={"policy": _full_words(theirs)})
        for name, (theirs, ours) in _departing(policy).items()
    }
    limits = {name: limit.model_copy(update={"policy": _NONE}) for name, limit in policy.limits.items()}
    return policy.model_copy(update={**changed, "limits": limits}) if changed or limits else policy


def _departing(policy: Policy) -> dict[str, tuple[Limit, Limit]]:
    """The limits that are not those of the tier's policy: the policy's and this one's, by name."""
    house = default_policy(policy.tier)
    pairs = {name: (getattr(house, name), getattr(policy, name)) for name in LIMITS}
    return {name: (theirs, ours) for name, (theirs, ours) in pairs.items() if _bare(theirs) != _bare(ours)}


def _bare(limit: Limit) -> Limit:
    return limit.model_copy(update={"policy": None})


def _full_words(limit: Limit) -> str:
    """A limit with who bears the burden, where that is the model."""
    return limit.words + (", to be shown by the model" if limit.burden == "model" else "")
