"""What every measure, check and family says of itself, piece by piece: the page of methods and its screen read it."""

import json
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from brookfall.core.check.check import ALL_TIERS, Check
from brookfall.core.check.registry import checks
from brookfall.core.check.sentence import About, AnyField, ChoiceField, NumbersField, Part, SetField, Words
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.wording import number as shown
from brookfall.core.measure.measure import Measure
from brookfall.core.measure.registry import measure, measures
from brookfall.core.measure.scored import AnyScored, Picked, Scored, ScoredClasses, ScoredNumbers
from brookfall.core.recipe.families import families
from brookfall.core.recipe.family.family import Family
from brookfall.core.table.outcome import OUTCOME_WORDS, OUTCOMES, Outcome

MethodKind = Literal["measure", "check", "family"]

_TIERS = (1, 2, 3)
_LEVEL = 0.95


class Method(BaseModel):
    """A measure, a check or a family.

    ``plan`` is a check's sentence in the plan of tier 1, and ``limits`` its limits as the built-in policy sets them, by
    tier where they differ; ``examples`` are a measure's on made-up rows, and ``coverage`` how often its 95 % intervals
    held the truth in simulations, by population; ``settings`` a family's, with their defaults.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: MethodKind
    name: str
    title: str
    question: int | None = None
    said: str
    plan: str = ""
    limits: tuple[str, ...] = ()
    facts: tuple[str, ...]
    examples: tuple[str, ...] = ()
    coverage: tuple[str, ...] = ()
    settings: dict[str, str] = {}
    source: str = ""


def methods() -> tuple[Method, ...]:
    """Measures in the order in which they are listed, then checks by question, then families.

    Returns
    -------
    tuple of Method
        Those of other packages that are installed too.

    Examples
    --------
    >>> [one.title for one in methods() if one.name == "auc"]
    ['AUC']
    """
    by_question = sorted(checks().values(), key=lambda one: one.question)
    return (
        *map(_measure, measures().values()),
        *map(_check, by_question),
        *map(_family, families().values()),
    )


def _measure(one: Measure) -> Method:
    return Method(
        kind="measure",
        name=one.name,
        title=one.words,
        said=f"{_capital(one.formula)}." if one.formula else "",
        facts=tuple(_facts_of_measure(one)),
        examples=tuple(_examples(one)),
        coverage=tuple(_coverage(one.name)),
        source=one.source,
    )


def _facts_of_measure(one: Measure) -> Iterator[str]:
    forms = [(outcome, one.forms[outcome]) for outcome in OUTCOMES if outcome in one.forms]
    if forms:
        yield "Outcome: " + ", ".join(f"{OUTCOME_WORDS[outcome]} (needs a {form.needs})" for outcome, form in forms)
    else:
        yield "A quantity that a check computes; not to be chosen in a plan"
    if one.of_a_class:
        yield "One class of several can have it against the rest"
    low, high = ("no end" if end is None else f"{end:g}".replace("-", "−") for end in one.range)
    yield f"Lowest: {low}; highest: {high}; {_better(one)}"


def _better(one: Measure) -> str:
    if one.better is None:
        return "neither way is better"
    return f"best at {one.better:g}" if isinstance(one.better, float) else f"{one.better} is better"


def _examples(one: Measure) -> Iterator[str]:
    """The measure on rows that anybody can write down, with its interval and by which method."""
    for outcome in OUTCOMES:
        if outcome not in one.forms:
            continue
        words, rows = _example_rows(outcome)
        figure = measure(one.name, rows)
        if figure.value is None:
            yield f"{words}: none, as {figure.note}."
            continue
        interval = figure.interval(_LEVEL)
        if interval is None:
            yield f"{words}: {shown(figure.value)}; no interval, as {figure.note}."
            continue
        low, high = map(shown, interval)
        yield f"{words}: {shown(figure.value)} [{low} to {high}], n {figure.n}, by `{figure.method}`."


def _coverage(name: str) -> Iterator[str]:
    """How often the measure's intervals held the truth, a population a line, as `make bench-coverage` found it."""
    simulated = _simulated()
    told = dict(simulated.get(name, {}))
    for rows in ("same rows", "other rows"):
        for shares in simulated.get(f"{name},_{rows.replace(' ', '_')}", {}).values():
            told[f"Differences on {rows}"] = shares
    for population, shares in told.items():
        judged = [f"{share} at n {n}" for n, share in shares.items() if share != "not judged"]
        if judged:
            yield f"{population}: {', '.join(judged)}"


@cache
def _simulated() -> dict[str, dict[str, dict[str, str]]]:
    found: dict[str, dict[str, dict[str, str]]] = json.loads(
        Path(__file__).with_name("coverage.json").read_text(encoding="utf-8")
    )
    return found


def _example_rows(outcome: Outcome) -> tuple[str, AnyScored | Picked]:
    place = np.arange(60)
    if outcome == "binary":
        words = "60 rows, every third one positive, scores that fall evenly from 0.9 to 0.1, decided at 0.5"
        return words, Scored(key="", outcomes=place % 3 == 0, scores=np.linspace(0.9, 0.1, 60), threshold=0.5)
    if outcome == "number":
        words = "60 rows with the outcomes 1 to 60, predicted 3 too high and 2 too low in turn"
        outcomes = np.arange(1, 61, dtype=np.float64)
        errors = np.where(place % 2 == 1, -2.0, 3.0).astype(np.float64)
        return words, ScoredNumbers(key="", outcomes=outcomes, predictions=np.add(outcomes, errors))
    if outcome == "multiclass":
        words = "60 rows of three classes in turn, whose own class has a probability of 0.6 in 40 of them and 0.2 in 20"
        codes = place % 3
        scores = np.where(place[:, None] < 40, 0.2, 0.4) * np.ones((60, 3))
        scores[place, codes] = np.where(place < 40, 0.6, 0.2)
        return words, ScoredClasses(
            key="", outcomes=codes, decisions=scores.argmax(1), classes=("a", "b", "c"), scores=scores
        )
    words = "40 choices of two, the first with a probability of 0.7, picked three times out of four"
    offered, there = np.tile([0.7, 0.3], (40, 1)), np.ones((40, 2), dtype=np.bool_)
    picked = (np.arange(40) % 4 == 3).astype(np.int64)
    return words, Picked(key="", offered=offered, there=there, picked=picked, alternatives=("a", "b"))


def _check(one: Check) -> Method:
    outcome = next(outcome for outcome in OUTCOMES if outcome in one.outcomes)
    return Method(
        kind="check",
        name=one.name,
        title=one.title,
        question=one.question,
        said=one.page,
        plan=_said(one.sentence(_about(1, outcome)).parts),
        limits=tuple(_limits(one, outcome)),
        facts=(
            "Outcome: " + ", ".join(OUTCOME_WORDS[outcome] for outcome in OUTCOMES if outcome in one.outcomes),
            f"In the standard plan of {_tiers_of(one)}{_where(one)}",
        ),
        source=one.source,
    )


def _about(tier: int, outcome: Outcome) -> About:
    return About(plan=standard_plan(tier, outcome=outcome, given_parts=False), outcome=outcome)


def _limits(one: Check, outcome: Outcome) -> Iterator[str]:
    """Its limit in each tier, said once where tiers agree."""
    by_words: dict[str, list[int]] = {}
    for tier in _TIERS:
        parts = one.sentence(_about(tier, outcome)).limit
        if parts:
            by_words.setdefault(_said(parts), []).append(tier)
    for words, tiers in by_words.items():
        yield words if len(by_words) == 1 else f"{words} (tier {' and '.join(map(str, tiers))})"


def _tiers_of(one: Check) -> str:
    return "every tier" if one.tiers == ALL_TIERS else " and ".join(f"tier {tier}" for tier in sorted(one.tiers))


def _where(one: Check) -> str:
    """On what it depends whether a standard plan has it, in words."""
    if one.needs_version:
        return ", where a version is in use"
    if one.needs_scores_alone:
        return ", where scores came alone"
    return ", where a column says whose outcome was looked at" if one.needs_observed else ""


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


def _family(one: Family) -> Method:
    outcomes = " and ".join(OUTCOME_WORDS[outcome] for outcome in sorted(one.outcomes))
    facts = [f"Outcome: {outcomes}", f"Shows {', '.join(sorted(one.reads)) or 'nothing of itself'}"]
    if one.dial:
        more = "larger" if one.dial.rising else "smaller"
        swept = ", all values from one fit" if one.along else ""
        facts.append(f"Dial of complexity: `{one.dial.setting}` ({more} is more complex{swept})")
    if one.left_out:
        facts.append("Leave-one-out by algebra")
    if not one.weighted:
        facts.append("Its fit knows no weights")
    return Method(
        kind="family",
        name=one.name,
        title=_capital(one.words),
        said=" ".join((one.settings.__doc__ or "").split()),
        facts=tuple(facts),
        settings={name: _default(field.default) for name, field in one.settings.model_fields.items()},
    )


def _default(default: object) -> str:
    if default is None:
        return "none"
    return str(list(default)) if isinstance(default, tuple) else str(default)


def _capital(words: str) -> str:
    return words[:1].upper() + words[1:]
