"""Every measure, check and family on one page, written from what each says of itself, those of other packages too."""

from collections.abc import Iterator

from brookfall.core.check.check import ALL_TIERS, Check
from brookfall.core.check.registry import checks
from brookfall.core.check.sentence import About, AnyField, ChoiceField, NumbersField, Part, SetField, Words
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.words import QUESTIONS
from brookfall.core.measure.measure import Measure
from brookfall.core.measure.registry import measures
from brookfall.core.recipe.family_pages import families_page
from brookfall.core.table.outcome import OUTCOMES

_OUTCOMES = {"binary": "yes/no", "multiclass": "several classes", "number": "number", "choice": "choice"}


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
    lines = ["# Measures", "", head, "", *_measures(), "# Checks", "", *_checks()]
    return "\n".join([*lines, families_page()])


def _measures() -> Iterator[str]:
    for measure in measures().values():
        yield f"## {measure.words} (`{measure.name}`)"
        yield ""
        if measure.formula:
            yield f"{measure.formula[:1].upper()}{measure.formula[1:]}."
            yield ""
        yield from (f"- {fact}" for fact in _facts_of_measure(measure))
        yield ""


def _facts_of_measure(measure: Measure) -> Iterator[str]:
    forms = [(outcome, measure.forms[outcome]) for outcome in OUTCOMES if outcome in measure.forms]
    if forms:
        yield "Outcome: " + ", ".join(f"{_OUTCOMES[outcome]} (needs a {form.needs})" for outcome, form in forms)
    else:
        yield "A quantity that a check computes; not to be chosen in a plan"
    if measure.of_a_class:
        yield "One class of several can have it against the rest"
    low, high = ("no end" if end is None else f"{end:g}" for end in measure.range)
    yield f"Lowest: {low}; highest: {high}; {_better(measure)}"
    yield f"Source: {measure.source}"


def _better(measure: Measure) -> str:
    if measure.better is None:
        return "neither way is better"
    return f"best at {measure.better:g}" if isinstance(measure.better, float) else f"{measure.better} is better"


def _checks() -> Iterator[str]:
    for number, question in QUESTIONS.items():
        yield f"## {number} {question}"
        yield ""
        for check in checks().values():
            if check.question == number:
                yield from _check(check)


def _check(check: Check) -> Iterator[str]:
    yield f"### {check.title} (`{check.name}`)"
    yield ""
    yield check.page
    yield ""
    outcome = next(outcome for outcome in OUTCOMES if outcome in check.outcomes)
    sentence = check.sentence(About(plan=standard_plan(1, outcome=outcome, given_parts=False), outcome=outcome))
    yield f"> {_said(sentence.parts)}"
    if sentence.limit:
        yield ">"
        yield f"> {_said(sentence.limit)}"
    yield ""
    yield "- Outcome: " + ", ".join(_OUTCOMES[outcome] for outcome in OUTCOMES if outcome in check.outcomes)
    tiers = "every tier" if check.tiers == ALL_TIERS else " and ".join(f"tier {tier}" for tier in sorted(check.tiers))
    yield f"- In the standard plan of {tiers}{_where(check)}"
    yield f"- Source: {check.source}"
    yield ""


def _where(check: Check) -> str:
    """On what it depends whether a standard plan has it, in words."""
    if check.needs_version:
        return ", where a version is in use"
    return ", where a column says whose outcome was looked at" if check.needs_observed else ""


def _said(parts: tuple[Part, ...]) -> str:
    return "".join(part.text if isinstance(part, Words) else f"*{_value(part)}*" for part in parts).strip()


def _value(field: AnyField) -> str:
    """A value as it reads in the sentence; what depends on a case is named instead."""
    if isinstance(field, ChoiceField):
        chosen = [option.words for option in field.options if option.value == field.value]
        return chosen[0] if chosen else field.name.lower()
    if isinstance(field, SetField):
        return ", ".join(option.words for option in field.options if option.value in field.value) or field.name.lower()
    if isinstance(field, NumbersField):
        return ", ".join(f"{value:g}" for value in field.value) or field.none or field.name.lower()
    if field.kind == "number":
        return f"{-field.value if field.turned else field.value:g}{field.unit}"
    return str(field.value) if field.kind == "text" and field.value else field.name.lower()
