"""A plan as facts in words: what a report lists, and what differs between two plans."""

from brookfall.core.foundation import wording
from brookfall.core.judge.policy_facts import policy_facts
from brookfall.core.measure.registry import words_of
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.recipe import Recipe

HARM_WORDS = {
    "unequal_shares": "unequal shares",
    "passed_over": "being wrongly passed over",
    "picked": "being wrongly picked",
    "meaning": "a score that means different things",
}
"""What can go wrong for people, in the words of the plan."""

_BY = {"rows": "row by row", "groups": "whole groups together", "time": "the earliest rows train"}


def plan_facts(plan: Plan) -> dict[str, str]:
    """Everything a plan sets, in words, by what it is about; in the order of the plan.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> plan_facts(standard_plan(2, given_parts=False))["parts"]
    '70 % training and 30 % test, outcomes in equal shares, row by row'
    """
    folds = plan.cross_validation
    facts = {
        "parts": _parts(plan),
        "seed": str(plan.seed),
        "cross-validation": folds.words + (", outcomes in equal shares" if folds.stratified else ""),
        "random splits": str(plan.splits),
        "shuffles": str(plan.shuffles),
        "main measure": words_of(plan.main_measure),
        **({"threshold": f"positive when score ≥ {plan.threshold:g}"} if plan.threshold is not None else {}),
        **({"capacity": f"{plan.capacity:g} % of the cases"} if plan.capacity is not None else {}),
        "part that decides": plan.deciding_part.replace("_", "-" if plan.deciding_part == "out_of_fold" else " "),
        "reference groups": _listed(
            [f"{name}: {group}" for name, group in sorted(plan.references.items())], "everyone else"
        ),
        "harms that matter": wording.listed([HARM_WORDS[harm] for harm in plan.harms]),
        "rates compared otherwise than usual": _listed(
            [f"{words_of(name)} by {way}" for name, way in sorted(plan.contrasts.items())], "none"
        ),
        "why these harms": plan.harm_reason or "not said",
        "bands of protected numbers": _listed(
            [f"{name} cut at {_cuts(cuts)}" for name, cuts in sorted(plan.bands.items())], "usual"
        ),
        "groups taken together": _listed(
            [f"{name}: {_sets(sets)}" for name, sets in sorted(plan.merged.items())], "none"
        ),
        "worth of coefficients in": plan.ratio_to or "the first feature with an expected sign",
        "challengers": "tuned inside the folds" if plan.challengers == "tuned" else "with their defaults",
        "version in use": _in_use(plan),
        **({"why rows in time are split at random": plan.split_reason} if plan.split_reason else {}),
        "how the target came to be observed": plan.target_observed or "not recorded",
    }
    if plan.own_challengers:
        facts["challengers of the reviewer's own"] = wording.listed(
            [f"{one.name} ({_recipe(one.recipe)})" for one in plan.own_challengers]
        )
    facts |= {
        f"{check.replace('_', ' ')}, {key.replace('_', ' ')}": str(value)
        for check, kept in sorted(plan.settings.items())
        for key, value in sorted(kept.items())
    }
    facts |= {f"why the limit {name} departs": reason for name, reason in sorted(plan.overrides.items())}
    titles = {one.name: one.title for one in plan.policy.statements}
    facts |= {f"statement on {titles[name].lower()}": "due" for name in plan.statements}
    facts |= {f"check {check.replace('_', ' ')}": "on" for check in plan.checks}
    if plan.house is not None:
        facts["policy in force"] = f"{plan.house.name}, whose limits the plan departs from where it says so"
    return facts | policy_facts(plan.policy)


def _cuts(cuts: tuple[float, ...]) -> str:
    return wording.listed([f"{cut:g}" for cut in cuts])


def _sets(sets: tuple[tuple[str, ...], ...]) -> str:
    return "; ".join(" with ".join(one) for one in sets)


def _in_use(plan: Plan) -> str:
    used = plan.in_use
    if used is None:
        return "none named"
    learns = "" if used.features is None else f", learning from {wording.listed(used.features)}"
    return f"{used.version}, {_recipe(used.recipe)}{learns}"


def _recipe(recipe: Recipe) -> str:
    settings = wording.listed([f"{name} {value}" for name, value in recipe.settings.items()])
    prepared = ", ".join(f"{name} {value}" for name, value in recipe.preprocess.model_dump().items())
    threshold = "" if recipe.threshold is None else f"threshold {recipe.threshold:g}"
    details = "; ".join(one for one in (settings, prepared, threshold) if one)
    return f"{recipe.family.replace('_', ' ')} ({details}, seed {recipe.seed})"


def _parts(plan: Plan) -> str:
    if plan.parts.kind == "given":
        return "as the data's own column names them"
    shares = wording.listed([f"{share:g} % {part}" for part, share in plan.parts.by_part.items()])
    return f"{shares}{', outcomes in equal shares' if plan.parts.stratified else ''}, {_BY[plan.parts.by]}"


def _listed(words: list[str], none: str) -> str:
    return ", ".join(words) or none


def plan_changes(before: Plan, after: Plan) -> tuple[str, ...]:
    """Every fact that differs, old and new, in the order of the plan; empty for plans that ask for the same.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> plan = standard_plan(2, given_parts=False)
    >>> plan_changes(plan, plan.model_copy(update={"seed": 7}))
    ('seed: 20417 → 7',)
    """
    old, new = plan_facts(before), plan_facts(after)
    both = dict.fromkeys((*new, *old))
    return tuple(
        f"{about}: {old.get(about, _OFF)} → {new.get(about, _OFF)}"
        for about in both
        if old.get(about, _OFF) != new.get(about, _OFF)
    )


_OFF = "off"
"""What is said of a check that a plan does not have."""
