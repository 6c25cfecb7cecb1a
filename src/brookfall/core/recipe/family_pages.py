"""The page that lists every family with its settings and defaults, written from the families themselves."""

from brookfall.core.recipe.families import families
from brookfall.core.recipe.family.family import Family
from brookfall.core.recipe.recipe import Preprocess

_OUTCOMES = {"binary": "yes/no", "multiclass": "several classes", "number": "number", "choice": "choice"}


def families_page() -> str:
    """The page as Markdown.

    Returns
    -------
    str
        Markdown.

    Examples
    --------
    >>> families_page().splitlines()[0]
    '# Families of models, their settings and every default'
    """
    lines = [
        "# Families of models, their settings and every default",
        "",
        "Written from the code by `make docs`; none of these defaults is left to a library. `strength` is always the "
        "weight of the penalty: 0 none, larger stronger. An installed package adds a family of its own by an entry "
        "point of the group `brookfall.families` that names a `brookfall.core.recipe.family.family.Family`.",
        "",
    ]
    for family in families().values():
        lines += _family(family)
    steps = ", ".join(f"`{name}: {field.default}`" for name, field in Preprocess.model_fields.items())
    return "\n".join([*lines, "## preprocess", "", f"{_first(Preprocess)} Defaults: {steps}.", ""])


def _family(family: Family) -> list[str]:
    outcomes = " and ".join(_OUTCOMES[outcome] for outcome in sorted(family.outcomes))
    shows = ", ".join(sorted(family.reads)) or "nothing of itself"
    facts = [f"{family.words[:1].upper()}{family.words[1:]}; outcome: {outcomes}; shows {shows}"]
    if family.dial:
        more = "larger" if family.dial.rising else "smaller"
        swept = ", all values from one fit" if family.along else ""
        facts.append(f"dial of complexity: `{family.dial.setting}` ({more} is more complex{swept})")
    if family.left_out:
        facts.append("leave-one-out by algebra")
    if not family.weighted:
        facts.append("its fit knows no weights")
    lines = [f"## {family.name}", "", f"{'; '.join(facts)}. {_first(family.settings)}", ""]
    fields = family.settings.model_fields
    if fields:
        lines += ["| setting | default |", "|---|---|"]
        lines += [f"| `{name}` | {_shown(field.default)} |" for name, field in fields.items()]
        lines.append("")
    return lines


def _first(kind: type[object]) -> str:
    return " ".join((kind.__doc__ or "").split())


def _shown(default: object) -> str:
    if default is None:
        return "none"
    return str(list(default)) if isinstance(default, tuple) else str(default)
