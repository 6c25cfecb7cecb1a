"""Surrogate: what scores that came alone rest on, through models fitted to them. A sum of steps in single features
(boosted stumps, an additive model) and a small tree learn the score itself, from the features and the protected columns
together, on one part of the rows; on the others it is told how faithful they are. What they lean on is theirs: it says
something of the model behind the scores as far as they follow it."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import SCORES, Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.feature_influence import REPEATS, figure_of_influence
from brookfall.core.check.shared.surrogates import ADDITIVE, SURROGATES, TREE, Surrogates, refuse_what_is_asked_itself
from brookfall.core.check.shared.tree_chart import marked, tree_chart, which_is
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.registry import measure
from brookfall.core.measure.score_agreement_of_rows import agreement
from brookfall.core.measure.scored import ScoredNumbers

_FAITHFUL = 0.8
"""Of the score's variance on other rows: below it what a surrogate leans on says little (common practice)."""


class Surrogate(Check):
    name = "surrogate"
    title = "Surrogate"
    question = 7
    source = (
        "Craven & Shavlik 1996 (trees that stand for a model; from memory); Friedman 2001 (boosted stumps are "
        "additive); permutation importance as in Influence."
    )
    outcomes = frozenset({"binary", "number"})
    tiers = NOT_LIGHT
    needs_scores_alone = True
    needs_features = True
    reads = Reads(roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Where scores came alone, fit a small tree and an additive model to them, see how faithful these are, and "
            "what they lean on."
        )

    def requests(self, bench: Bench) -> list[Need]:
        refuse_what_is_asked_itself(bench)
        asked = Surrogates(bench)
        return [*(asked.scores_of(name) for name in SURROGATES), asked.influence, asked.tree]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        asked = Surrogates(bench)
        draft = Draft(bench.plan.policy.level)
        faithful = {name: _faithful(asked, draft, ledger, name) for name in SURROGATES}
        losses = ledger.scores(asked.influence)
        order = np.argsort(-losses[:, 0], kind="stable")
        names = [asked.features[place] for place in order]
        n = len(asked.influence.reading.rows)
        places = [
            draft.add(
                "influence", figure_of_influence(losses[place], n), model=ADDITIVE, part=asked.rows.part, feature=name
            )
            for place, name in zip(order, names, strict=True)
        ]
        marks = _marks(bench, asked.features)
        strip = pictures.ranking(
            "What the additive surrogate's R² of the score loses when one column's values change places",
            "Loss of R² of the score",
            [(name, place, "challenger") for name, place in zip(names, places, strict=True)],
        )
        chart, series = tree_chart(bench, ledger, asked.tree, "The tree that stands for the scores", marks, of="score")
        return draft.write(
            _answer(draft, asked, faithful, names, places),
            lines=_lines(draft, faithful, names, places, marks, asked),
            charts=(strip, chart),
            series=series,
            tables=(_table_of_faith(asked, faithful), _table(asked, draft, names, places, marks)),
        )


@dataclass(frozen=True)
class _Faithful:
    """Places in the draft: how much of the score's variance it follows, how far it is off, decisions that differ."""

    r2: int
    off: int
    flipped: int | None


def _faithful(asked: Surrogates, draft: Draft, ledger: Ledger, name: str) -> _Faithful:
    bench, held, part = asked.bench, asked.rows.held, asked.rows.part
    need = asked.scores_of(name)
    said = ledger.scores(need)
    rows = bench.subject.scored(held, said, f"{bench.plan.seed}/{need.fit.seed_key}", target=asked.target)
    if not isinstance(rows, ScoredNumbers):
        raise TypeError("a score is a number")
    versus = Versus(model=SCORES)
    r2, off = (draft.add(one, measure(one, rows), model=name, part=part, versus=versus) for one in ("r2", "mae"))
    if bench.subject.outcome == "number":
        return _Faithful(r2, off, None)
    ours = bench.subject.scored(held, said, f"{bench.plan.seed}/{need.fit.seed_key}/decided")
    same = agreement(ours, bench.supplied_scores.on(held)).flipped
    flipped = None if same is None else draft.add("flipped", same, model=name, part=part, versus=versus)
    return _Faithful(r2, off, flipped)


def _marks(bench: Bench, features: tuple[str, ...]) -> dict[str, str]:
    """Columns to look at twice; of a protected one that is no feature, that too."""
    found = marked(bench)
    for name in features:
        if name not in bench.subject.features:
            found[name] = "is protected and no feature"
    return found


def _answer(
    draft: Draft, asked: Surrogates, faithful: Mapping[str, _Faithful], names: list[str], places: list[int]
) -> list[str]:
    additive, tree = (draft.figure(faithful[name].r2) for name in (ADDITIVE, TREE))
    if additive.value is None or tree.value is None:
        return [f"How faithful a surrogate is can't be said: {additive.note or tree.note}."]
    on = (
        f"{wording.rows(additive.n)} of the {asked.rows.part} part"
        if asked.rows.part != "unseen"
        else (f"{wording.rows(additive.n)} held out")
    )
    first = (
        f"A sum of steps in single features follows {wording.figure_to(additive, draft.level)} of the score's variance "
        f"on {on}, a small tree {wording.figure_to(tree, draft.level)}."
    )
    if max(additive.value, tree.value) < _FAITHFUL:
        return [first, "Neither follows it closely, so what they lean on says little of the model."]
    return [first, f"The sum leans most on '{names[0]}': R² of the score loses {_loss(draft, places[0])}."]


def _loss(draft: Draft, place: int) -> str:
    return wording.figure_to(draft.figure(place), draft.level)


def _lines(
    draft: Draft,
    faithful: Mapping[str, _Faithful],
    names: list[str],
    places: list[int],
    marks: Mapping[str, str],
    asked: Surrogates,
) -> tuple[str, ...]:
    lines = [_of_the_rest(draft, faithful)]
    for name, place in zip(names, places, strict=True):
        interval = draft.figure(place).interval(draft.level)
        if name in marks and interval is not None and interval[0] > 0:
            lines.append(f"It leans on {which_is(name, marks)}: R² loses {_loss(draft, place)}.")
    leaning = len(lines) - 1
    protected = [name for name in names if name in marks]
    if protected and not leaning:
        lines.append(f"It is not shown to lean on {wording.listed([repr(name) for name in protected])}.")
    flipped = faithful[ADDITIVE].flipped
    if flipped is not None:
        share = wording.figure_to(draft.figure(flipped), draft.level)
        lines.append(f"The sum of steps decides {share} of these rows otherwise than the scores.")
    learned = wording.rows(len(asked.rows.train))
    lines.append(f"Both learned the score, not the outcome, from {learned}; they stand for the model, and are not it.")
    return tuple(lines)


def _of_the_rest(draft: Draft, faithful: Mapping[str, _Faithful]) -> str:
    """What is left where models of all columns together follow the score no further."""
    best = max(faithful.values(), key=lambda one: draft.figure(one.r2).value or 0.0)
    figure = draft.figure(best.r2)
    if figure.value is None or figure.value >= _FAITHFUL:
        return ""
    return (
        f"The most that any of them follows is {wording.figure_to(figure, draft.level)}: what is left rests on columns "
        "that are not here, on chance, or on what none of them can follow."
    )


def _table_of_faith(asked: Surrogates, faithful: Mapping[str, _Faithful]) -> TableView:
    decided = any(one.flipped is not None for one in faithful.values())
    return TableView(
        title=f"How faithful they are, on {wording.rows(len(asked.rows.held))} they did not learn from",
        columns=("surrogate", "R² of the score", "mean distance from it", *(("decided otherwise",) if decided else ())),
        rows=tuple(
            (
                text(SURROGATES[name]),
                at(one.r2),
                at(one.off),
                *((at(one.flipped),) if one.flipped is not None else (text("–"),) if decided else ()),
            )
            for name, one in faithful.items()
        ),
    )


def _table(asked: Surrogates, draft: Draft, names: list[str], places: list[int], marks: Mapping[str, str]) -> TableView:
    n = draft.figure(places[0]).n if places else len(asked.rows.held)
    return TableView(
        title=f"Mean of {REPEATS} repeats on {wording.rows(n)}, by the sum of steps",
        columns=("column", "loss when shuffled", "look twice"),
        rows=tuple(
            (text(name), at(place), text(marks.get(name, "–"))) for name, place in zip(names, places, strict=True)
        ),
    )
