"""How what was computed stands by the limits of another policy, where what was kept of it is enough to tell."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from brookfall.core.check.check import Check
from brookfall.core.check.reads import PLAN_OF_ALL
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.judge.policy import Policy
from brookfall.core.judge.standing import stand, worst
from brookfall.core.measure.figure import Figure

_OF_POLICY = "policy."
_BY_VALUE = "shuffled_p"
"""A limit that a value keeps or breaks, whatever its interval."""
_UNJUDGED = "capacity"
_OF_QUANTITIES = {
    "gap_r2": ("r2", "rho_squared"),
    "observed_over_expected": ("observed_over_expected",),
    "calibration_slope": ("calibration_slope",),
    "group_slope": ("calibration_slope",),
}
"""Limits that are on these quantities alone, whatever else has the same ends."""
_IN_UNITS = ("gap_loss", "mean_error_in_sd", "group_mean_error_in_sd", "segment_worse")
"""Limits that are judged by in the outcome's own unit, or turned round: what they were made into is kept, not how."""


@dataclass(frozen=True)
class KeptEstimate:
    """What is kept of an estimate that its exhibit turns on: all that a standing is read from.

    ``low`` to ``wide_high`` are the ends of the plain and the simultaneous interval; None where there is none.
    """

    value: float | None
    low: float | None
    high: float | None
    wide_low: float | None
    wide_high: float | None
    few: bool
    limit: Limit
    standing: Standing | None
    quantity: str = ""


@dataclass(frozen=True)
class KeptExhibit:
    """The estimates that an exhibit turns on, and how it stands."""

    check: Check
    standing: Standing | None
    leading: Sequence[KeptEstimate]


def kept_estimate(estimate: Estimate) -> KeptEstimate | None:
    """What is kept of an estimate; None where its exhibit does not turn on it."""
    if estimate.limit is None:
        return None
    return KeptEstimate(
        estimate.value,
        estimate.low,
        estimate.high,
        estimate.wide_low,
        estimate.wide_high,
        estimate.few,
        estimate.limit,
        estimate.standing,
        estimate.quantity,
    )


class NeedsRunError(Exception):
    """What was kept does not tell; only the check itself would."""


def judged_anew(exhibit: KeptExhibit, before: Policy, after: Policy) -> Standing | None:
    """How an exhibit stands by another policy, from its estimates as they were kept.

    A limit of the plan's own, which departs from the policy before, stays: it has its reviewer's reason.

    Parameters
    ----------
    exhibit : KeptExhibit
        As its run left it.
    before : Policy
        The one that its case was planned under.
    after : Policy
        The one to judge by.

    Returns
    -------
    Standing or None
        None where nothing is judged.

    Raises
    ------
    NeedsRunError
        The check reads more of the policy than limits and that is another, a limit is given where nothing was judged,
        or the standing before does not follow from what was kept.
    """
    if not reads_a_change(exhibit.check, before, after):
        return exhibit.standing
    limits = _limits(exhibit.check, before, after)
    old = [_stands(one, one.limit) for one in exhibit.leading]
    cleared = _is_cleared(exhibit, old)
    new = [_stands(one, _in_place_of(one, limits)) for one in exhibit.leading]
    return _whole(exhibit, old, new, cleared=cleared)


_Standings = Sequence[Standing | None]


def _is_cleared(exhibit: KeptExhibit, old: _Standings) -> bool:
    """Whether some of it is open and it stood within. NeedsRunError where it does not stand as what was kept says."""
    found = _worst(exhibit.leading, old)
    cleared = exhibit.check.clears and found is Standing.UNSETTLED and exhibit.standing is Standing.WITHIN
    if old != [one.standing for one in exhibit.leading] or (found != exhibit.standing and not cleared):
        raise NeedsRunError
    return cleared


def _whole(exhibit: KeptExhibit, old: _Standings, new: _Standings, *, cleared: bool) -> Standing | None:
    """How all of it stands. What is open leaves it within, or not, as it did, unless more or less is within now."""
    found = _worst(exhibit.leading, new)
    if found is not Standing.UNSETTLED or not exhibit.check.clears:
        return found
    was, now = ({place for place, one in enumerate(standings) if one is Standing.WITHIN} for standings in (old, new))
    if cleared and now >= was:
        return Standing.WITHIN
    if exhibit.standing is Standing.UNSETTLED and now <= was:
        return Standing.UNSETTLED
    raise NeedsRunError


def reads_a_change(check: Check, before: Policy, after: Policy) -> bool:
    """Whether two policies differ in something that a check reads. NeedsRunError where that is not a limit alone."""
    limits = False
    for name in _read(check):
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            # A capacity to memorise of anything up to 1 was never judged.
            if not isinstance(old, Limit) or (name == _UNJUDGED and old.high >= 1):
                raise NeedsRunError
            limits = True
    old, new = before.limits.get(check.name), after.limits.get(check.name)
    if old != new:
        if old is None or new is None:
            raise NeedsRunError
        limits = True
    return limits


def _read(check: Check) -> Iterable[str]:
    """The fields of the policy that a check reads, beside the limit of its own name."""
    every = (*PLAN_OF_ALL, *check.reads.plan)
    named = [name.removeprefix(_OF_POLICY) for name in every if name.startswith(_OF_POLICY)]
    return [name for name in named if name != "limits"]


def _limits(check: Check, before: Policy, after: Policy) -> list[tuple[str, Limit, Limit]]:
    """The limits that a check may judge by: their names, as they were, as they would be."""
    pairs = [(name, getattr(before, name), getattr(after, name)) for name in _read(check)]
    found = [(name, old, new) for name, old, new in pairs if isinstance(old, Limit)]
    own = before.limits.get(check.name), after.limits.get(check.name)
    if own[0] is not None and own[1] is not None:
        found.append((check.name, own[0], own[1]))
    return found


def _in_place_of(one: KeptEstimate, limits: Sequence[tuple[str, Limit, Limit]]) -> Limit:
    """What stands in the place of an estimate's limit, told by what it says and what it is of.

    NeedsRunError where several that say the same part, or it was written in the outcome's unit and that limit changes.
    """
    if one.limit.policy is not None:
        return one.limit
    of_quantity = [name for name, _, _ in limits if one.quantity in _OF_QUANTITIES.get(name, ())]
    others = [name for name, _, _ in limits if name not in _OF_QUANTITIES]
    known = [pair for pair in limits if pair[0] in (of_quantity or others)]
    found = {new for _, old, new in known if old == one.limit}
    if not found and not any(old != new for name, old, new in limits if name in _IN_UNITS):
        return one.limit
    if len(found) != 1:
        raise NeedsRunError
    return found.pop()


def _stands(one: KeptEstimate, limit: Limit) -> Standing | None:
    """As the check itself judges, by the intervals that were kept."""
    if one.quantity == _BY_VALUE and one.value is not None and not one.few:
        return Standing.WITHIN if limit.keeps(one.value) else Standing.OUTSIDE
    plain, wide = _ends(one.low, one.high), _ends(one.wide_low, one.wide_high)
    if plain is None or wide is None:
        return stand(Figure(one.value, 1, few=one.few), limit, _PLAIN)
    ends = {_PLAIN: plain, _WIDE: wide}
    return stand(Figure(one.value, 1, "kept", ends.__getitem__, few=one.few), limit, _PLAIN, _WIDE)


_PLAIN, _WIDE = 0.95, 0.99
"""Names of the two kept intervals; which levels they are of was settled when they were made."""


def _ends(low: float | None, high: float | None) -> tuple[float, float] | None:
    """An interval that was kept; None where there was none. NeedsRunError where one end is not known."""
    if low is None and high is None:
        return None
    if low is None or high is None:
        raise NeedsRunError
    return low, high


def _worst(leading: Sequence[KeptEstimate], standings: Sequence[Standing | None]) -> Standing | None:
    """The worst; what has too few rows to judge counts as open."""
    few = any(one.few or one.value is None for one in leading)
    judged = [standing for standing in standings if standing is not None]
    return worst([*judged, *((Standing.UNSETTLED,) if few else ())])
