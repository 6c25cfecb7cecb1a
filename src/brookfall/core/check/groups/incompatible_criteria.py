"""What can't hold together: criteria of the plan that differing base rates force apart."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Audited
from brookfall.core.check.groups.sides import Member
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.impossibility import ratio_of_false_positives, ratio_of_selection
from brookfall.core.measure.interval import independent_difference
from brookfall.core.plan.facts import HARM_WORDS
from brookfall.core.plan.plan import Harm

CLASHES: tuple[tuple[Harm, ...], ...] = (
    ("passed_over", "picked", "meaning"),
    ("unequal_shares", "passed_over", "meaning"),
    ("unequal_shares", "passed_over", "picked"),
)
"""Harms whose criteria can't all be met exactly where base rates differ, unless the model is perfect; or, of the last
three, tells nobody apart."""
BASE_RATE = "base_rate"


def clashing(harms: Iterable[Harm]) -> tuple[Harm, ...]:
    """The first three of the harms whose criteria can't all be met where base rates differ; none where none clash.

    >>> clashing(("passed_over", "picked")), clashing(("meaning", "picked", "passed_over"))
    ((), ('passed_over', 'picked', 'meaning'))
    """
    wanted = set(harms)
    return next((clash for clash in CLASHES if set(clash) <= wanted), ())


@dataclass(frozen=True)
class Forced:
    """A group whose base rate is shown to differ from that of others: places of it and of the difference, and what
    equal TPR and PPV would make of the other rates, times those of others. ``sentence`` is empty where the plan's harms
    don't clash."""

    member: Member
    base_rate: int
    difference: int
    times_picked: float
    times_selected: float
    sentence: str


def base_rates_apart(figure: Figure, other: Figure, level: float) -> Figure | None:
    """The difference of two base rates where it is shown, both rates being between 0 and 1; else None."""
    apart = independent_difference(figure, other)
    interval = apart.interval(level)
    if interval is None or apart.few or interval[0] <= 0 <= interval[1]:
        return None
    inside = all(one.value is not None and 0 < one.value < 1 for one in (figure, other))
    return apart if inside else None


def forced_by(harms: Sequence[Harm], draft: Draft, read: Audited, members: list[Member]) -> list[Forced]:
    """Every group of a ground whose base rate is shown to differ from that of others, the farthest first."""
    compared = [one for one in members if one.reference is not None]
    level = 1 - (1 - draft.level) / max(1, len(compared))
    found = []
    for member in compared:
        rate, usual = member.rate(BASE_RATE), member.against.rate(BASE_RATE)
        apart = base_rates_apart(rate, usual, level)
        if apart is None or rate.value is None or usual.value is None:
            continue
        about = read.about(member.group)
        times = ratio_of_false_positives(rate.value, usual.value)
        found.append(
            Forced(
                member,
                draft.add(BASE_RATE, rate, **about),
                draft.add(BASE_RATE, apart, comparison="difference", versus=member.against.versus, **about),
                times,
                ratio_of_selection(rate.value, usual.value),
                clash_words(clashing(harms), member.words, member.against.words, rate, usual, draft.level),
            )
        )
    return sorted(found, key=lambda one: -abs(draft.figure(one.difference).value or 0.0))


def clash_words(clash: tuple[Harm, ...], group: str, others: str, rate: Figure, usual: Figure, level: float) -> str:
    """That the harms can't all be avoided, with the base rates that forbid it; empty where nothing clashes."""
    if not clash or rate.value is None or usual.value is None:
        return ""
    named = wording.listed([HARM_WORDS[harm] for harm in clash])
    picked, selected = (of(rate.value, usual.value) for of in (ratio_of_false_positives, ratio_of_selection))
    forced = {
        CLASHES[0]: f"with equal TPR and PPV the false positive rates stand as {picked:.2f} to 1",
        CLASHES[1]: f"with equal TPR and PPV the shares selected stand as {selected:.2f} to 1",
        CLASHES[2]: f"with equal TPR and FPR the shares selected differ by {abs(rate.value - usual.value):.3f} times "
        "what TPR is above FPR",
    }[clash]
    return (
        f"The base rate is {wording.figure(rate, level)} with {group} (n {wording.count(rate.n)}) and "
        f"{wording.figure(usual, level)} with {others} (n {wording.count(usual.n)}), so {named} can't all be "
        f"avoided at once: {forced}."
    )
