"""Every word that the pages say of measures, checks, standings, severities and decisions, from the registries."""

from brookfall.core.check.registry import checks
from brookfall.core.evidence import words
from brookfall.core.measure.measure import Measure
from brookfall.core.measure.registry import COMPARISON_WORDS, measures
from brookfall.core.recipe.families import families
from brookfall.core.table.outcome import OUTCOMES
from brookfall.desk.views import CheckWords, MeasureWords, Named, Vocabulary


def vocabulary() -> Vocabulary:
    """What this server's own measures, checks and families, and those of packages beside it, are called."""
    return Vocabulary(
        families=[
            Named(name=name, words=family.words, outcomes=sorted(family.outcomes))
            for name, family in families().items()
        ],
        measures=[_measure(one) for one in measures().values()],
        comparisons=COMPARISON_WORDS,
        checks=[
            CheckWords(name=one.name, title=one.title, question=one.question, page=one.page, source=one.source)
            for one in checks().values()
        ],
        questions=_by_text(words.QUESTIONS),
        question_titles=_by_text(words.QUESTION_TITLES),
        short_questions=_by_text(words.SHORT_QUESTIONS),
        standings=words.STANDINGS,
        statement_standings=words.STATEMENT_STANDINGS,
        severities=_by_text(words.SEVERITIES),
        model_standings=words.MODEL_STANDINGS,
        condition_states=words.CONDITION_STATES,
        condition_acts=words.CONDITION_ACTS,
        asked_states=words.QUESTION_STATES,
        asked_acts=words.QUESTION_ACTS,
        finding_states=words.FINDING_STATES,
        finding_acts=words.FINDING_ACTS,
        finding_answers=words.FINDING_ANSWERS,
        decisions=words.DECISIONS,
        outcomes=words.OUTCOMES,
    )


def _measure(one: Measure) -> MeasureWords:
    outcomes = [name for name in OUTCOMES if name in one.forms or (name == "multiclass" and one.of_a_class)]
    return MeasureWords(
        name=one.name,
        words=one.words,
        outcomes=outcomes,
        better=f"nearer to {one.better:g}" if isinstance(one.better, float) else one.better or "neither",
        scale=one.scale,
        formula=one.formula,
        source=one.source,
    )


def _by_text(numbered: dict[int, str]) -> dict[str, str]:
    return {str(number): said for number, said in numbered.items()}
