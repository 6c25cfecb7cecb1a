"""A policy as facts in words, and what differs between two of a house's policies."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from brookfall.core.evidence.limit import Limit
from brookfall.core.foundation import wording
from brookfall.core.judge.grounds import GroundWords
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.core.judge.policy import Policy, StandardPlan
from brookfall.core.judge.report_form import LANGUAGES, ReportForm
from brookfall.core.judge.report_form import PARTS as REPORT_PARTS
from brookfall.core.judge.requirements import Requirement
from brookfall.core.table.outcome import OUTCOME_WORDS

LIMITS = {
    "alone": "what one column tells alone",
    "psi": "the population stability index",
    "gap": "the gap",
    "gap_r2": "the gap in R²",
    "gap_loss": "the gap in a loss, as a share of the unseen value",
    "capacity": "the capacity to memorise",
    "shuffled_p": "p against shuffled outcomes",
    "net_benefit": "net benefit, in cases found per row",
    "selected_over_capacity": "the share selected, times the capacity",
    "fold_sd_ratio": "the SD over folds, times sampling",
    "observed_over_expected": "observed over expected",
    "calibration_slope": "the calibration slope",
    "mean_error_in_sd": "the mean error, in SDs of the outcome",
    "percentile": "a claim's percentile among random splits",
    "better_than_baseline": "the gain over the baseline",
    "worse_than_challenger": "the difference to a challenger",
    "segment_worse": "how much worse a segment is than the other rows",
    "segment_ratio": "the loss in a segment, times that of the other rows",
    "group_ratio": "ratios of group rates",
    "group_difference": "differences of group rates",
    "group_ratio_of_rare": "ratios of rare false positive rates of groups",
    "group_mean_error_in_sd": "differences of a group's mean error, in SDs of the outcome",
    "group_slope": "the calibration slope in a group",
}
"""What each limit of a policy is a limit on."""


def policy_facts(policy: Policy) -> dict[str, str]:
    """Everything a policy says of a tier, in words, by what it is about.

    >>> from brookfall.core.judge.policy import default_policy
    >>> policy_facts(default_policy(2))["limit on the gap"]
    '≤ 0.05, ideally 0'
    """
    facts = {"policy": f"{policy.name}, tier {policy.tier}", "level of intervals": f"{100 * policy.level:g} %"}
    facts |= {f"limit on {words}": in_full(getattr(policy, name)) for name, words in LIMITS.items()}
    facts |= {f"limit of {name.replace('_', ' ')}": in_full(limit) for name, limit in sorted(policy.limits.items())}
    facts["conventions tried on claims"] = _listed(list(policy.conventions), "none")
    facts["taken for the same figure"] = (
        f"within {policy.materiality.bounded:g} of measures in 0 to 1, {100 * policy.materiality.share:g} % of others"
    )
    facts["an owner answers within"] = wording.counted(policy.days_to_answer, "day")
    facts["an approval lasts"] = f"{wording.counted(policy.approved_years, 'year')} from its countersignature"
    facts["rows are kept for"] = f"{policy.rows_kept_years} years after the decision, at least"
    facts |= {"grounds": _listed(list(policy.grounds), "none")}
    facts |= {f"{ground}, by words of the house": _known_by(words) for ground, words in policy.ground_words.items()}
    facts |= {f"{one.name}, {asked.id}": asked.asks for one in policy.requirements for asked in one.requirements}
    return facts | {f"{one.title.lower()}, in writing (question {one.question})": one.asks for one in policy.statements}


def _known_by(words: GroundWords) -> str:
    """By what a ground is known, in words."""
    names, levels = _listed(list(words.names), "none"), _listed(list(words.levels), "none")
    return f"columns named {names}; levels {levels}"


def in_full(limit: Limit) -> str:
    """A limit with its ideal, and with who has to show it where that is the model.

    >>> in_full(Limit(at_least=0, ideal=0, burden="model"))
    '≥ 0, ideally 0, to be shown by the model'
    """
    ideal = "" if limit.ideal is None else f", ideally {limit.ideal:g}".replace("-", "−")
    return limit.words + ideal + (", to be shown by the model" if limit.burden == "model" else "")


@dataclass(frozen=True)
class PolicyChange:
    """What a policy says otherwise than another: of which tier (None: of all), about what, and both in words."""

    tier: int | None
    about: str
    before: str
    after: str


def policy_changes(before: HousePolicy, after: HousePolicy) -> tuple[PolicyChange, ...]:
    """Every difference, in the order of tiers and of what a policy says; nothing where both ask for the same.

    Parameters
    ----------
    before, after
        The two policies; their names are no difference.

    Examples
    --------
    >>> from brookfall.core.judge.house_policy import built_in_house, house_from_yaml
    >>> ours = house_from_yaml("{brookfall_policy: 1, name: Ours, tiers: {1: {approved_years: 2}}}", "policy.yaml")
    >>> [(one.tier, one.about, one.after) for one in policy_changes(built_in_house(), ours)]
    [(1, 'an approval lasts', '2 years from its countersignature')]
    """
    found = []
    signs = [_listed(list(one.second_factor_for), _NOBODY) for one in (before, after)]
    if signs[0] != signs[1]:
        found.append(PolicyChange(None, "who needs a second factor to sign", *signs))
    found += [PolicyChange(None, *one) for one in _told_apart(*(report_facts(one.report) for one in (before, after)))]
    asked = [
        {f"{one.name}, {asked.id}": _asked(asked) for one in house.requirements for asked in one.requirements}
        for house in (before, after)
    ]
    found += [PolicyChange(None, *one) for one in _told_apart(*asked)]
    for tier in sorted(before.tiers):
        old, new = house_facts(before, tier), house_facts(after, tier)
        found += [PolicyChange(tier, *one) for one in _told_apart(old, new)]
    return tuple(found)


def _told_apart(old: dict[str, str], new: dict[str, str]) -> Iterator[tuple[str, str, str]]:
    """About what two sets of facts differ, with both."""
    for about in dict.fromkeys((*new, *old)):
        before, after = old.get(about, _NOT_SAID), new.get(about, _NOT_SAID)
        if before != after:
            yield about, before, after


def _asked(one: Requirement) -> str:
    """A requirement in words: what is asked, of which tiers, and what answers it."""
    of = "" if one.tiers == (1, 2, 3) else f" (tiers {wording.listed(list(map(str, one.tiers)))})"
    by = [name.replace("_", " ") for name in one.checks] + [f"statement on {name}" for name in one.statements]
    return f"{one.asks}{of}: {wording.listed([*by, *one.acts])}"


_NOBODY, _NOT_SAID = "nobody", "nothing of its own"


def house_facts(house: HousePolicy, tier: int) -> dict[str, str]:
    """What a house's policy says of a tier, in words: its standard plan and limits, then those by outcome."""
    own = house.tiers[tier]
    facts = standard_facts(own.standard_plan)
    facts |= {about: said for about, said in policy_facts(own).items() if about != "policy"}
    for outcome, limits in own.outcomes.items():
        of = OUTCOME_WORDS[outcome]
        facts |= {f"limit on {LIMITS[name]}, {of}": in_full(limit) for name, limit in limits.items()}
    return facts


def report_facts(form: ReportForm) -> dict[str, str]:
    """How a house's reports are made, in words."""
    return {
        "the name at the head of reports": form.house or "none",
        "the text below the head of reports": form.cover or "none",
        "numbers and dates of reports": f"as in {LANGUAGES[form.language]}",
        "the paper of reports": form.paper,
        "the parts of a whole report": _listed([REPORT_PARTS[part] for part in form.parts], "none"),
    }


_PARTS: tuple[Literal["training", "validation", "test"], ...] = ("training", "validation", "test")


def standard_facts(plan: StandardPlan) -> dict[str, str]:
    """A standard plan in words.

    >>> from brookfall.core.judge.policy import STANDARD_PLANS
    >>> list(standard_facts(STANDARD_PLANS[2]).values())
    ['70 % training and 30 % test', '10 folds × 1', '100', '50']
    """
    return {
        "standard parts": wording.listed([f"{plan.shares[part]:g} % {part}" for part in _PARTS if part in plan.shares]),
        "standard cross-validation": f"{plan.folds} folds × {plan.repeats}",
        "standard random splits": str(plan.splits),
        "standard shuffles": str(plan.shuffles),
    }


def _listed(words: list[str], none: str) -> str:
    return ", ".join(words) or none
