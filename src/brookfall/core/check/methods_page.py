"""Every measure, check and family on one page, written from what each says of itself, those of other packages too."""

from collections.abc import Iterator

from brookfall.core.check.methods import Method, methods
from brookfall.core.evidence.words import QUESTIONS
from brookfall.core.recipe.recipe import Preprocess

_OF_FAMILIES = (
    "Written from the code by `make docs`; none of these defaults is left to a library. `strength` is always the "
    "weight of the penalty: 0 none, larger stronger. An installed package adds a family of its own by an entry point "
    "of the group `brookfall.families` that names a `brookfall.core.recipe.family.family.Family`."
)


def methods_page() -> str:
    """The page as Markdown.

    Returns
    -------
    str
        Measures in the order in which they are listed, then the checks under their questions, then the families.

    Examples
    --------
    >>> page = methods_page()
    >>> [line for line in page.splitlines() if line.startswith("# ")]
    ['# Measures', '# Checks', '# Families of models, their settings and every default']
    """
    head = "Written from the code by `make docs`; `brookfall methods` prints it with what other packages add."
    all_of_them = methods()
    of_kind = {kind: [one for one in all_of_them if one.kind == kind] for kind in ("measure", "check", "family")}
    lines = ["# Measures", "", head, ""]
    for one in of_kind["measure"]:
        lines += [f"## {one.title} (`{one.name}`)", "", *_method(one)]
    lines += ["# Checks", ""]
    for number, question in QUESTIONS.items():
        lines += [f"## {number} {question}", ""]
        for one in of_kind["check"]:
            if one.question == number:
                lines += [f"### {one.title} (`{one.name}`)", "", *_method(one)]
    lines += ["# Families of models, their settings and every default", "", _OF_FAMILIES, ""]
    for one in of_kind["family"]:
        lines += [f"## {one.name}", "", f"{one.title}.", "", *_method(one)]
    steps = ", ".join(f"`{name}: {field.default}`" for name, field in Preprocess.model_fields.items())
    said = " ".join((Preprocess.__doc__ or "").split())
    return "\n".join([*lines, "## preprocess", "", f"{said} Defaults: {steps}.", ""])


def _method(one: Method) -> Iterator[str]:
    if one.said:
        yield from (one.said, "")
    if one.plan:
        yield f"> {one.plan}"
        for limit in one.limits:
            yield from (">", f"> {limit}")
        yield ""
    yield from (f"- {fact}" for fact in one.facts)
    yield from (f"- For example {example}" for example in one.examples)
    if one.coverage:
        yield "- How often its 95 % interval held the truth in simulations (docs/coverage.md)"
        yield from (f"    - {line}" for line in one.coverage)
    if one.source:
        yield f"- Source: {one.source}"
    yield ""
    if one.settings:
        yield from ("| setting | default |", "|---|---|")
        yield from (f"| `{name}` | {default} |" for name, default in one.settings.items())
        yield ""
