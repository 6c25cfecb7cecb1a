"""How an approval stands on a day, and with it its model: computed from what was signed, and from dates.

Days are those of the house's time zone; a last day belongs to what it ends.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Literal, get_args

from brookfall.core.judge.condition_life import MET, ConditionState

ModelStanding = Literal["in_force", "conditional", "lapsed", "superseded", "withdrawn", "not_approved", "never_decided"]
MODEL_STANDINGS: tuple[ModelStanding, ...] = get_args(ModelStanding)

TOLD_DAYS = (60, 14)
"""How long before a date its people are told of it, in days."""


@dataclass(frozen=True)
class ConditionStands:
    """A condition as it stands. Each of ``answered`` begins on the day on which evidence came, or on which it was
    judged to be met, and ends on the day on which that was turned down, or with None."""

    number: int
    due: date
    state: ConditionState
    answered: tuple[tuple[date, date | None], ...] = ()

    @property
    def met(self) -> bool:
        return self.state in MET


@dataclass(frozen=True)
class Approval:
    """An approval that was countersigned on ``signed`` and lasts until the end of ``until``."""

    signed: date
    until: date
    conditions: tuple[ConditionStands, ...] = ()


@dataclass(frozen=True)
class Decided:
    """A decision that was signed on a version, in the case of that number; ``approval`` is None where it approved
    nothing."""

    version: str
    signed: date
    approval: Approval | None
    case: int = 0


@dataclass(frozen=True)
class Stands:
    """How something stands today, in a word and in a sentence.

    ``until`` is the last day of an approval that counts, by which it is reviewed again; ``since`` the day from which
    one has lapsed; ``version`` the one that a model's standing is that of.
    """

    standing: ModelStanding
    why: str
    until: date | None = None
    version: str | None = None
    since: date | None = None


def years_after(day: date, years: int) -> date:
    """The same day so many years later; the 28th where there is no 29th of February.

    >>> years_after(date(2024, 2, 29), 1), years_after(date(2026, 3, 1), 2)
    (datetime.date(2025, 2, 28), datetime.date(2028, 3, 1))
    """
    try:
        return day.replace(year=day.year + years)
    except ValueError:
        return day.replace(year=day.year + years, day=28)


def lapsed_on(condition: ConditionStands, today: date) -> date | None:
    """The day from which an approval is lapsed by this condition; None while it is not.

    Evidence that came in time holds it while nobody has judged; what is turned down after its date lapses that day, and
    what comes late changes nothing.

    >>> due = date(2027, 3, 31)
    >>> lapsed_on(ConditionStands(1, due, "sent", ((due, None),)), date(2027, 5, 1)) is None
    True
    >>> lapsed_on(ConditionStands(1, due, "open"), date(2027, 4, 1))
    datetime.date(2027, 4, 1)
    """
    due = condition.due
    if today <= due:
        return None
    for begun, ended in condition.answered:
        if begun <= due and (ended is None or ended > due):
            return ended
    return due + timedelta(days=1)


def approval_stands(approval: Approval, today: date) -> Stands:
    """In force, conditional or lapsed, and by what."""
    lapses = [(day, one) for one in approval.conditions if (day := lapsed_on(one, today)) is not None]
    if lapses:
        day, first = min(lapses, key=lambda lapse: (lapse[0], lapse[1].number))
        if day <= approval.until:
            why = f"condition {first.number} was due on {_day(first.due)} and was not met in time"
            return Stands("lapsed", why, since=day)
    if today > approval.until:
        return Stands("lapsed", f"its term ended on {_day(approval.until)}", since=approval.until + timedelta(days=1))
    unmet = [one for one in approval.conditions if not one.met]
    if unmet:
        first = min(unmet, key=lambda one: (one.due, one.number))
        if first.state == "sent":
            return Stands("conditional", f"evidence for condition {first.number} waits to be judged", approval.until)
        return Stands("conditional", f"condition {first.number} is due on {_day(first.due)}", approval.until)
    return Stands("in_force", f"approved until {_day(approval.until)}", approval.until)


def model_stands(decided: Sequence[Decided], in_use: str | None, withdrawn: date | None, today: date) -> Stands:
    """How a model stands today.

    Parameters
    ----------
    decided
        What was signed of its versions, the oldest first; of a version that was decided again the last counts.
    in_use
        The version that its owner says is in use.
    withdrawn
        The day on which its owner withdrew it.

    Returns
    -------
    Stands
        That of the version in use; where none is named, of the version approved last; where none was approved, that
        of the last decision.
    """
    if withdrawn is not None:
        return Stands("withdrawn", f"its owner withdrew it on {_day(withdrawn)}")
    current = _current(decided, in_use)
    if current is None:
        return Stands("never_decided", "no decision on any version was signed")
    if current.approval is None:
        return Stands("not_approved", f"version {current.version} was not approved on {_day(current.signed)}")
    return replace(approval_stands(current.approval, today), version=current.version)


def version_stands(
    version: str, decided: Sequence[Decided], in_use: str | None, withdrawn: date | None, today: date
) -> Stands:
    """How one version of a model stands; superseded where another is in use, or was approved after it."""
    last = next((one for one in reversed(decided) if one.version == version), None)
    if last is None:
        return Stands("never_decided", "no decision was signed")
    if last.approval is None:
        return Stands("not_approved", f"it was not approved on {_day(last.signed)}")
    if withdrawn is not None:
        return Stands("withdrawn", f"the model was withdrawn on {_day(withdrawn)}")
    current = _current(decided, in_use)
    if current is not None and current.version != version:
        other = "is in use" if current.version == in_use else f"was approved on {_day(current.signed)}"
        return Stands("superseded", f"version {current.version} {other}")
    return approval_stands(last.approval, today)


def last_cases(decided: Sequence[Decided]) -> frozenset[int]:
    """Of each version the case of its last decision: what was decided of it before counts no more."""
    return frozenset({one.version: one.case for one in decided}.values())


def notices_of(approval: Approval, today: date) -> tuple[str, ...]:
    """What the people of an approval have to be told by today, by names that stay: ``lapsed``; ``term 60`` and ``term
    14`` before the end of its term; ``condition 2, 14`` before the date of one that nobody has answered.

    >>> term = Approval(date(2026, 1, 1), date(2027, 1, 1), (ConditionStands(1, date(2026, 6, 1), "open"),))
    >>> notices_of(term, date(2026, 5, 30)), notices_of(term, date(2026, 6, 2))
    (('condition 1, 14',), ('lapsed',))
    """
    if approval_stands(approval, today).standing == "lapsed":
        return ("lapsed",)
    told = [f"term {days}" for days in _told(approval.until, today)]
    for one in approval.conditions:
        if one.state == "open":
            told += [f"condition {one.number}, {days}" for days in _told(one.due, today)]
    return tuple(told)


def _told(last: date, today: date) -> list[int]:
    """The shortest of the times before a date that has begun; what was longer is told no more."""
    left = (last - today).days
    return [min(days for days in TOLD_DAYS if left <= days)] if 0 <= left <= max(TOLD_DAYS) else []


def _current(decided: Sequence[Decided], in_use: str | None) -> Decided | None:
    """What was signed last of the version in use; else the last approval; else the last decision."""
    of_use = [one for one in decided if one.version == in_use]
    last_of_each = {one.version: one for one in decided}
    approved = [one for one in decided if one.approval is not None and last_of_each[one.version] is one]
    return next((some[-1] for some in (of_use, approved, decided) if some), None)


def _day(day: date) -> str:
    return f"{day:%-d %b %Y}"
