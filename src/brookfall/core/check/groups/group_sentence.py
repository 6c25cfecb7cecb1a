"""The sentence of the group audit: which harm matters, the criteria that follow, and how groups are made."""

from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import (
    NO_LIMIT,
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
    lower_limit,
    parts_of,
    say,
    upper_limit,
)

GROUP_READS = Reads(
    plan=(
        "references",
        "harms",
        "bands",
        "merged",
        "policy.group_ratio",
        "policy.group_difference",
        "policy.group_slope",
        "policy.grounds",
    ),
    roles=("protected",),
)
"""What every check reads that sets groups against each other."""

_HARMS = (
    ("unequal_shares", "unequal shares of what is given out", "the ratio of shares selected"),
    ("passed_over", "being wrongly passed over", "the true positive rate, its difference and its ratio"),
    ("picked", "being wrongly picked", "the difference of false positive rates"),
    (
        "meaning",
        "a score that means different things",
        "the ratio of predictive values, and the calibration slope in every group",
    ),
)


def group_sentence(about: About) -> Sentence:
    """The sentence with its lines: above it the harms that matter, below it a line a ground."""
    named = ", ".join(about.protected).replace("_", " ") or "nothing: no column is protected"
    beside = "" if about.number else "; the four-fifths rule beside it"
    return say(
        f"Compare {named}, group by group, with a reference group{beside}.",
        NO_LIMIT if about.number else _limits(about),
        before=() if about.number else _harms(about),
        after=tuple(_ground(about, ground) for ground in about.grounds),
        **({} if about.number else _ends(about)),
    )


def _limits(about: About) -> str:
    harms = about.plan.harms
    said = []
    if {"unequal_shares", "passed_over", "meaning"} & set(harms):
        said.append("ratio {ratio_low} to {ratio_high}")
    if {"passed_over", "picked"} & set(harms):
        said.append("|difference| ≤ {difference}")
    if "meaning" in harms:
        said.append("slope {slope_low} to {slope_high}")
    return f"limits: {', '.join(said)}"


def _ends(about: About) -> dict[str, AnyField]:
    difference = upper_limit(about, "group_difference", "Limit on differences of group rates")
    return {
        "ratio_low": lower_limit(about, "group_ratio", "Lowest ratio"),
        "ratio_high": upper_limit(about, "group_ratio", "Highest ratio", 10),
        # Both ends are set at once: a difference is as bad one way as the other.
        "difference": difference.model_copy(update={"mirror": ("policy", "group_difference", "at_least")}),
        "slope_low": lower_limit(about, "group_slope", "Lowest calibration slope"),
        "slope_high": upper_limit(about, "group_slope", "Highest calibration slope", 10),
    }


def _harms(about: About) -> tuple[PlanLine, ...]:
    harms = SetField(
        name="Harms that matter",
        path=("harms",),
        value=about.plan.harms,
        options=tuple(Option(value=name, words=words, follows=follows) for name, words, follows in _HARMS),
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
        *(PlanLine(parts=(Words(text=clash),), tone="warning") for clash in clashes),
    )


def _ground(about: About, ground: GroundLines) -> PlanLine:
    """A ground with its groups, the reference among them, and how they are made."""
    name = ground.name
    largest = Option(value=None, words=f"the largest, {ground.reference}")
    fields: dict[str, AnyField] = {
        "reference": ChoiceField(
            name=f"Reference group of {name}",
            path=("references", name),
            value=about.plan.references.get(name),
            options=(largest, *(Option(value=group, words=group) for group in ground.groups)),
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
