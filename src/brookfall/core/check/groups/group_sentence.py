"""The sentence of the group audit: which harm matters, the criteria that follow, and how groups are made."""

from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import (
    About,
    AnyField,
    ChoiceField,
    GroundLines,
    LevelsField,
    NumbersField,
    Option,
    PlanLine,
    Sentence,
    SetField,
    TextField,
    Words,
    both_ends,
    lower_limit,
    parts_of,
    say,
    upper_limit,
)
from brookfall.core.plan.plan import Compared, Contrast, Harm

GROUP_READS = Reads(
    plan=(
        "references",
        "harms",
        "contrasts",
        "bands",
        "merged",
        "policy.group_ratio",
        "policy.group_ratio_of_rare",
        "policy.group_difference",
        "policy.group_slope",
        "policy.group_mean_error_in_sd",
        "policy.grounds",
        "policy.ground_words",
    ),
    roles=("protected",),
)
"""What every check reads that sets groups against each other."""

_HARMS: tuple[tuple[Harm, str], ...] = (
    ("unequal_shares", "unequal shares of what is given out"),
    ("passed_over", "being wrongly passed over"),
    ("picked", "being wrongly picked"),
    ("meaning", "a score that means different things"),
)
_CRITERIA: tuple[tuple[Harm, Compared, Contrast, str], ...] = (
    ("unequal_shares", "selection_rate", "ratio", "shares selected"),
    ("passed_over", "true_positive_rate", "difference", "true positive rates"),
    ("picked", "false_positive_rate", "difference", "false positive rates"),
    ("meaning", "positive_predictive_value", "ratio", "predictive values"),
)
"""What every harm is judged by, and the usual way to set one rate against another."""


def group_sentence(about: About) -> Sentence:
    """The sentence with its lines: above it the harms that matter, below it a line a ground."""
    named = ", ".join(about.protected).replace("_", " ") or "nothing: no column is protected"
    beside = "" if about.number else "; the four-fifths rule beside it"
    return say(
        f"Compare {named}, group by group, each with everyone else or a group that is named{beside}.",
        "limit: |difference of mean errors| ≤ {error} SD of the outcome" if about.number else _limits(about),
        before=() if about.number else _harms(about),
        after=tuple(_ground(about, ground) for ground in about.grounds),
        **(_ends_of_numbers(about) if about.number else _ends(about)),
    )


def _contrast(about: About, measure: Compared, usual: Contrast) -> str:
    return about.plan.contrasts.get(measure, usual)


def _limits(about: About) -> str:
    judged = {_contrast(about, measure, usual) for harm, measure, usual, _ in _CRITERIA if harm in about.plan.harms}
    said = []
    if "ratio" in judged:
        said.append("ratio {ratio_low} to {ratio_high}")
    if "difference" in judged:
        said.append("|difference| ≤ {difference}")
    if "picked" in about.plan.harms and "false_positive_rate" not in about.plan.contrasts:
        said.append("rare FPR ratio {rare_low} to {rare_high}")
    if "meaning" in about.plan.harms:
        said.append("slope {slope_low} to {slope_high}")
    return f"limits: {', '.join(said)}"


def _ends_of_numbers(about: About) -> dict[str, AnyField]:
    return {"error": both_ends(about, "group_mean_error_in_sd", "Limit on the mean error of groups, in SD")}


def _ends(about: About) -> dict[str, AnyField]:
    return {
        "ratio_low": lower_limit(about, "group_ratio", "Lowest ratio"),
        "ratio_high": upper_limit(about, "group_ratio", "Highest ratio", 10),
        "rare_low": lower_limit(about, "group_ratio_of_rare", "Lowest ratio of rare false positive rates"),
        "rare_high": upper_limit(about, "group_ratio_of_rare", "Highest ratio of rare false positive rates", 10),
        # Both ends are set at once: a difference is as bad one way as the other.
        "difference": both_ends(about, "group_difference", "Limit on differences of group rates"),
        "slope_low": lower_limit(about, "group_slope", "Lowest calibration slope"),
        "slope_high": upper_limit(about, "group_slope", "Highest calibration slope", 10),
    }


def _harms(about: About) -> tuple[PlanLine, ...]:
    harms = SetField(
        name="Harms that matter",
        path=("harms",),
        value=about.plan.harms,
        options=tuple(Option(value=name, words=words, follows=_follows(about, name)) for name, words in _HARMS),
        so="So groups are judged by",
        end="All other criteria are shown.",
    )
    reason = TextField(
        name="Why these harms",
        path=("harm_reason",),
        value=about.plan.harm_reason,
        hint="why these harms matter here; the report shows it",
    )
    clashes = (ground.clash for ground in about.grounds if ground.clash)
    return (
        PlanLine(parts=(Words(text="Which harm to people matters here?"),)),
        PlanLine(parts=(harms,)),
        PlanLine(parts=(Words(text="Because "), reason)),
        _ways(about),
        *(PlanLine(parts=(Words(text=clash),), tone="warning") for clash in clashes),
    )


def _follows(about: About, harm: Harm) -> str:
    """What a harm is judged by, as the plan has it."""
    _, measure, usual, words = next(one for one in _CRITERIA if one[0] == harm)
    chosen = f"the {_contrast(about, measure, usual)} of {words}"
    return f"{chosen}, and the calibration slope in every group" if harm == "meaning" else chosen


_BY: tuple[tuple[Contrast, str], ...] = (("ratio", "their ratio"), ("difference", "their difference"))


def _ways(about: About) -> PlanLine:
    """By what the rates are compared: one way each, as difference and ratio answer one question."""
    fields: dict[str, AnyField] = {}
    said = []
    for harm, measure, usual, words in _CRITERIA:
        if harm not in about.plan.harms:
            continue
        rare = ", where rare their ratio" if measure == "false_positive_rate" else ""
        default = Option(value=None, words=f"{dict(_BY)[usual]}, as usual{rare}")
        fields[measure] = ChoiceField(
            name=f"Compare {words} by",
            path=("contrasts", measure),
            value=about.plan.contrasts.get(measure),
            options=(default, *(Option(value=way, words=by) for way, by in _BY)),
        )
        said.append(f"{words} by {{{measure}}}")
    return PlanLine(parts=parts_of(f"Compare {'; '.join(said)}.", fields), tone="small")


def _ground(about: About, ground: GroundLines) -> PlanLine:
    """A ground with its groups, what each is set against, and how they are made."""
    name = ground.name
    named = about.plan.references.get(name)
    two = ground.reference is not None and named is None
    usual = Option(value=None, words=f"the other, {ground.reference}" if two else "everyone else")
    fields: dict[str, AnyField] = {
        "reference": ChoiceField(
            name=f"Groups of {name} against",
            path=("references", name),
            value=named,
            options=(usual, *(Option(value=group, words=group) for group in ground.groups)),
        )
    }
    said = f"{name.replace('_', ' ')}: against {{reference}}"
    if ground.cuts is not None:
        fields["cuts"] = NumbersField(name=f"Cuts between bands of {name}", path=("bands", name), value=ground.cuts)
        said += ", in bands cut at {cuts}"
    elif len(ground.groups) > 2 or name in about.plan.merged:
        fields["levels"] = LevelsField(
            name=f"Take levels of {name} together",
            path=("merged", name),
            value=about.plan.merged.get(name, ()),
            groups=ground.groups,
            levels=ground.levels,
        )
        said += "; {levels}"
    return PlanLine(parts=parts_of(said, fields), tone="small", remark=ground.sizes)
