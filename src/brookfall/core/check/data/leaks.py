"""Leak suspects: what tells the outcome all by itself, and what could not have been known."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.leak_suspects import Suspect, alone, identifiers_among
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.phrases import phrases_in, pure_phrase
from brookfall.core.measure.registry import words_of
from brookfall.core.resample.declared import Given
from brookfall.core.submission.subject import Subject


class Leaks(Check):
    name = "leaks"
    title = "Leak suspects"
    question = 1
    needs_features = True
    source = "A single feature that all but decides the target: common practice. DeLong et al. 1988; Hall 1992."
    outcomes = ANY_OUTCOME
    reads = Reads(plan=("policy.alone",), roles=("time",))

    def sentence(self, about: About) -> Sentence:
        return say(
            "Look for what gives the answer away: one column that decides the target alone, gaps that do, a word or "
            "phrase in a text, identifiers, dates.",
            f"limit: {'R²' if about.number else 'AUC'} of one column ≤ {{alone}}",
            alone=upper_limit(about, "alone", "Limit on what one column tells alone"),
        )

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        subject, limit = bench.subject, bench.plan.policy.alone
        draft = Draft(bench.plan.policy.level)
        suspects = alone(subject, bench.plan.seed)
        places = [
            draft.add(one.measure, one.figure, model="data", part="all", feature=one.words, limit=limit)
            for one in suspects
        ]
        late, given = _late(bench), isinstance(bench.plan.parts, Given)
        if late is not None:
            draft.add(
                "share_before_training_ends",
                late,
                model="data",
                part="test",
                feature=subject.roles.time,
                # Parts drawn here at random are no fault of the owner's; the plan says so.
                limit=Limit(at_most=0) if given else None,
                standing=(Standing.OUTSIDE if late.value else Standing.WITHIN) if given else None,
            )
        found = list(zip(suspects, places, strict=True))
        strip = pictures.ranking(
            f"How well one column alone tells {subject.roles.target}, on rows it was not learned from",
            wording.capital(words_of(suspects[0].measure)) if suspects else "",
            [(one.words, place, "data") for one, place in found],
        )
        table = TableView(
            title=f"Every feature by itself; {limit.words} is the limit",
            columns=("column", "measure", "by itself"),
            rows=tuple((text(one.words), text(words_of(one.measure)), at(place)) for one, place in found),
        )
        answer = _answer(subject, draft, suspects, places, late)
        return draft.write(answer, lines=_pure_phrases(subject), charts=(strip,), tables=(table,))


def _pure_phrases(subject: Subject) -> tuple[str, ...]:
    """Phrases of texts whose rows are all of one outcome, beyond chance: the most frequent one of each text."""
    target, rows, said = subject.target, subject.rows, []
    if target.outcome == "number" or subject.choices is not None:
        return ()
    for name in subject.features:
        column = subject.table.column(name).take(rows)
        if column.kind != "text":
            continue
        found = pure_phrase(phrases_in(column), target.codes[rows], len(target.classes))
        if found is not None:
            said.append(
                f"Where '{found.phrase}' stands in {name}, all {wording.count(found.n)} rows are "
                f"{target.classes[found.code]}."
            )
    return tuple(said)


def _late(bench: Bench) -> Figure | None:
    """The share of test rows that lie before the last training row in time; None where rows have no time."""
    layout = bench.subject.layout(stratified=False)
    if layout.times is None:
        return None
    training, test = (
        layout.times[np.searchsorted(layout.rows, bench.split.parts[part])] for part in ("training", "test")
    )
    return Figure(float((test < training.max()).mean()), len(test), note="counted, not estimated")


def _answer(
    subject: Subject, draft: Draft, suspects: list[Suspect], places: list[int], late: Figure | None
) -> list[str]:
    target = f"'{subject.roles.target}'"
    standings = [draft.standing(place) for place in places]
    over = [one for one, standing in zip(suspects, standings, strict=True) if standing is Standing.OUTSIDE]
    near = [one for one, standing in zip(suspects, standings, strict=True) if standing is Standing.NEAR]
    said = []
    if suspects:
        first = (over or near or suspects)[0]
        place = places[suspects.index(first)]
        figures = f"{words_of(first.measure)} {draft.said(place)} on {wording.rows(first.figure.n)}"
        if over:
            verb = "decides" if len(over) == 1 else "decide"
            names = wording.listed([_named(one) for one in over])
            said.append(f"{wording.capital(names)} alone all but {verb} {target}: {figures}.")
            was_it = "Was it" if len({one.feature for one in over}) == 1 else "Were they"
            said.append(f"{was_it} known when the score is needed?")
        elif near:
            said.append(f"{wording.capital(_named(first))} alone may all but decide {target}: {figures}.")
            said.append("Was it known when the score is needed?")
        else:
            said.append(f"No column decides {target} by itself; the best, {_named(first)}: {figures}.")
    suspected = [f"'{name}' ({wording.count(count)} values)" for name, count in identifiers_among(subject)]
    if suspected:
        looks = "looks like an identifier" if len(suspected) == 1 else "look like identifiers"
        said.append(f"Among the features, {wording.listed(suspected)} {looks}.")
    if late is not None and late.value:
        said.append(f"{wording.percent(late.value)} of the test rows lie before the last training row in time.")
    return said or ["There is no feature to look at."]


def _named(suspect: Suspect) -> str:
    return suspect.words if suspect.gaps or suspect.phrase else f"'{suspect.words}'"
