"""Findings drafted from what is outside or near its limit: careful words to edit, from the exhibit's own estimates."""

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from brookfall.core.check.groups.audit import OF_OTHERS
from brookfall.core.check.groups.protected_groups import Spoken, label_words
from brookfall.core.check.groups.sides import EVERYONE_ELSE
from brookfall.core.evidence.chart import CombinationChart
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation import wording
from brookfall.core.measure.registry import words_of
from brookfall.core.plan.facts import HARM_WORDS
from brookfall.core.plan.plan import Plan

CHECKS = ("groups", "combinations")
_MOST = 8
_WHAT = {
    "selection_rate": ("are selected", "rows"),
    "true_positive_rate": ("are found", "rows that are truly positive"),
    "false_positive_rate": ("are wrongly picked", "rows that are truly negative"),
    "positive_predictive_value": ("are truly positive", "rows that are selected"),
}
_WHY = {
    "selection_rate": (
        "This group gets less of what a selection brings than the others.",
        "This group gets more of what a selection brings than the others.",
    ),
    "true_positive_rate": (
        "People of this group who should be found are passed over more often than others.",
        "Others who should be found are passed over more often than those of this group.",
    ),
    "false_positive_rate": (
        "Others who should not be picked are picked more often than those of this group.",
        "People of this group who should not be picked are picked more often than others.",
    ),
    "positive_predictive_value": (
        "A selection is right less often in this group than among others.",
        "A selection is right more often in this group than among others.",
    ),
    "bias": (
        "For this group the prediction is lower than for others with the same outcomes.",
        "For this group the prediction is higher than for others with the same outcomes.",
    ),
    "calibration_slope": (
        "In this group the scores are more extreme than the outcomes bear out.",
        "In this group the scores are less extreme than the outcomes would bear out.",
    ),
}
"""What a lower value than the ideal comes to for people, and what a higher one does."""
_ACTION = (
    "Say where the difference comes from; show what the model does to this group without the features that make it, or "
    "why it is needed and no less unequal way does as well."
)


class DraftedFinding(BaseModel):
    """``group`` is the group that it is about (none: all of a ground), of the exhibit of that number; severity as in a
    finding, 1 to 4."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    exhibit: int
    group: dict[str, str]
    standing: Standing
    severity: int
    title: str
    what: str
    why: str
    action: str


_GROUND = ""
"""Stands for the name of a ground where an estimate is of all its groups."""
_APART = "_between_groups"


def drafted_from(exhibit: Exhibit, plan: Plan, spoken: Spoken) -> list[DraftedFinding]:
    """A draft for every group with a comparison outside its limit, and for those near it after them; at most eight.

    Groups that are worse off than either ground alone would make them come first; ``spoken`` says how people are spoken
    of, as in the roles.
    """
    if exhibit.check not in CHECKS or exhibit.state != "done":
        return []
    by_group: dict[tuple[tuple[str, str], ...], list[Estimate]] = {}
    for one in exhibit.estimates:
        if (one.group or one.attribute) and one.standing in (Standing.OUTSIDE, Standing.NEAR):
            by_group.setdefault(tuple((one.group or {}).items()) or ((_GROUND, one.attribute or ""),), []).append(one)
    worse = _worse(exhibit)
    drafts = [
        (tuple(group.values()) not in worse, _draft(exhibit, {} if _GROUND in group else group, found, plan, spoken))
        for group, found in ((dict(key), found) for key, found in by_group.items())
    ]
    drafts.sort(key=lambda pair: (pair[1].standing is not Standing.OUTSIDE, pair[0], -pair[1].severity))
    return [draft for _, draft in drafts[:_MOST]]


def _worse(exhibit: Exhibit) -> set[tuple[str, ...]]:
    return {
        group.levels
        for chart in exhibit.charts
        if isinstance(chart, CombinationChart)
        for combination in chart.combinations
        for group in combination.groups
        if group.worse
    }


def _draft(
    exhibit: Exhibit, group: dict[str, str], found: Sequence[Estimate], plan: Plan, spoken: Spoken
) -> DraftedFinding:
    outside = [one for one in found if one.standing is Standing.OUTSIDE] or list(found)
    words = label_words(group, spoken) if group else f"groups by {_ground_words(outside[0].attribute or '')}"
    measures = list(dict.fromkeys(one.quantity for one in outside))
    rests = _rests(exhibit, group, measures[0], spoken)
    sentences = [_sentence(exhibit, one, spoken) for one in outside]
    what = [
        *dict.fromkeys(sentences),
        *rests,
        "These figures show a difference, not its cause.",
    ]
    standing = Standing.OUTSIDE if outside[0].standing is Standing.OUTSIDE else Standing.NEAR
    reason = f" {plan.harm_reason}" if plan.harm_reason else ""
    return DraftedFinding(
        exhibit=exhibit.number,
        group=group,
        standing=standing,
        severity=3 if standing is Standing.OUTSIDE else 2,
        title=f"{wording.capital(words)}: {wording.listed([words_of(name) for name in measures])} "
        f"{'outside' if standing is Standing.OUTSIDE else 'near'} the limit",
        what=" ".join(what),
        why=" ".join([*dict.fromkeys(_why(one) for one in outside if one.quantity in _WHY), _harms(plan) + reason]),
        action=_ACTION,
    )


def _why(one: Estimate) -> str:
    ideal = one.limit.ideal if one.limit is not None and one.limit.ideal is not None else 0.0
    lower, higher = _WHY[one.quantity]
    return lower if (one.value or 0.0) < ideal else higher


def _harms(plan: Plan) -> str:
    return f"The plan names as harms {wording.listed([HARM_WORDS[harm] for harm in plan.harms])}."


def _sentence(exhibit: Exhibit, one: Estimate, spoken: Spoken) -> str:
    """The rates on both sides, the comparison with its interval, and how it stands."""
    name, words = one.quantity, label_words(one.group or {}, spoken)
    limit = "" if one.limit is None else f" ({one.limit.words})"
    stands = "is outside the limit" if one.standing is Standing.OUTSIDE else "crosses the limit"
    where = f"on the {(one.part or '').replace('_', '-')} rows" + (f", class {one.class_}" if one.class_ else "")
    told = _interval(one, 2 if one.comparison == "ratio" else 3)
    if one.attribute is not None:
        lies = f"the {words_of(name.removesuffix(_APART))} of a typical low group against that of a typical high one"
        return f"By {_ground_words(one.attribute)}, {lies} is a {one.comparison} of {told} {where}; it {stands}{limit}."
    if one.versus is None or name not in _WHAT:
        return f"Among {words}, the {words_of(one.measure)} is {told} {where}; it {stands}{limit}."
    own, other = _rate(exhibit, one, name, one.group), _other_rate(exhibit, one)
    others = EVERYONE_ELSE if one.versus.group is None else label_words(one.versus.group, spoken)
    verb, among = _WHAT[name]
    rates = (
        ""
        if own is None or other is None
        else f"Of {wording.count(own.n)} {among} among {words}, {wording.percent(own.value)} {verb} {where}, against "
        f"{wording.percent(other.value)} of {wording.count(other.n)} among {others}. "
    )
    return f"{rates}The {one.comparison or 'difference'} of {told} {stands}{limit}."


def _ground_words(attribute: str) -> str:
    return attribute.replace("_", " ")


def _other_rate(exhibit: Exhibit, one: Estimate) -> Estimate | None:
    """The rate of the other side: a group's own, or that of everyone else as it was told beside the comparison."""
    if one.versus is not None and one.versus.group is not None:
        return _rate(exhibit, one, one.quantity, one.versus.group)
    return _rate(exhibit, one, f"{one.quantity}{OF_OTHERS}", one.group)


def _rate(exhibit: Exhibit, like: Estimate, measure: str, group: dict[str, str] | None) -> Estimate | None:
    return next(
        (
            one
            for one in exhibit.estimates
            if (one.measure, one.model, one.part, one.class_, one.group)
            == (measure, like.model, like.part, like.class_, group)
        ),
        None,
    )


def _interval(one: Estimate, decimals: int) -> str:
    """The value with the interval that it was judged by."""
    low, high = one.judged_ends
    ends = (
        "" if low is None or high is None else f" [{wording.number(low, decimals)}, {wording.number(high, decimals)}]"
    )
    return f"{wording.number(one.value, decimals)}{ends}"


def _rests(exhibit: Exhibit, group: dict[str, str], measure: str, spoken: Spoken) -> list[str]:
    """Against the others who share all levels but one, where that was shown."""
    found = [
        one
        for one in exhibit.estimates
        if one.quantity == measure
        and one.comparison == "difference"
        and one.group == group
        and one.versus is not None
        and any(level.startswith("other than ") for level in (one.versus.group or {}).values())
    ]
    if not found:
        return []
    told = [
        f"{_interval(one, 3)} against others among "
        + label_words({n: v for n, v in (one.versus.group or {}).items() if not v.startswith("other than ")}, spoken)
        for one in found
        if one.versus is not None
    ]
    name = words_of(measure)
    return [f"By the {name} it differs from those who share all but one level too: {wording.listed(told)}."]
