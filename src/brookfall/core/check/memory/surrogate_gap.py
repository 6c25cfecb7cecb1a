"""Surrogate gap: whether scores that came alone know the outcomes of the rows they learned from. A model of the score
that sees no outcome leaves a rest of it; where the owner's model has memorised rows, this rest follows their outcomes
more closely than those of others. Each part's rest is left by a surrogate that learned from the other part."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.surrogates import ADDITIVE, Surrogates, refuse_what_is_asked_itself
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.association import associate
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.table.table import Column

_TRAINING = "training"


class SurrogateGap(Check):
    name = "surrogate_gap"
    title = "Surrogate gap"
    question = 4
    source = "Correlation of what a surrogate leaves of the score with the outcome (Fisher 1921), part against part."
    outcomes = frozenset({"binary", "number"})
    tiers = NOT_LIGHT
    needs_scores_alone = True
    needs_features = True
    reads = Reads(roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Where scores came alone, see whether what a surrogate leaves of them follows the outcomes more closely on "
            "the rows they were learned from."
        )

    def requests(self, bench: Bench) -> list[Need]:
        refuse_what_is_asked_itself(bench)
        asked = Surrogates(bench)
        _refuse_unknown_training(bench)
        return [asked.scores_of(ADDITIVE), _other_way_round(asked)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        asked = Surrogates(bench)
        draft = Draft(bench.plan.policy.level)
        of_held, of_training = (ledger.scores(need) for need in (asked.scores_of(ADDITIVE), _other_way_round(asked)))
        there = _follows(asked, asked.rows.train, of_training)
        elsewhere = _follows(asked, asked.rows.held, of_held)
        labels = {_TRAINING: there, asked.rows.part: elsewhere}
        places = {part: draft.add("association", figure, model=ADDITIVE, part=part) for part, figure in labels.items()}
        gap = draft.add(
            "association",
            independent_difference(there, elsewhere),
            comparison="difference",
            model=ADDITIVE,
            part=_TRAINING,
            versus=Versus(part=asked.rows.part),
        )
        strip = pictures.ranking(
            "How closely what a surrogate leaves of the score follows the outcome",
            "Correlation",
            [(part, place, "supplied:" + part) for part, place in places.items()],
        )
        table = TableView(
            title="What the sum of steps leaves of the score, against the outcome",
            columns=("part", "correlation"),
            rows=(
                *((text(part), at(place)) for part, place in places.items()),
                (text(f"{_TRAINING} over {asked.rows.part}"), at(gap)),
            ),
        )
        return draft.write(_answer(draft, places, gap, asked.rows.part), charts=(strip,), tables=(table,))


def _refuse_unknown_training(bench: Bench) -> None:
    if _TRAINING not in bench.supplied_parts or len(bench.supplied_parts) == 1:
        raise UserError(
            "The scores are of one part, so how they do on rows they were learned from can't be told.",
            todo="Ask the owner for the scores of training rows too.",
        )


def _other_way_round(asked: Surrogates) -> Need:
    """A surrogate that learned from the rows held, asked about those that the other learned from."""
    return Need(asked.fit(ADDITIVE, asked.rows.held), ScoreReading(asked.rows.train))


def _follows(asked: Surrogates, rows: Rows, said: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> Figure:
    """The correlation of what is left of the score with the outcome."""
    target = asked.bench.subject.target
    outcome = target.numbers if target.outcome == "number" else target.hits.astype(np.float64)
    left = Column("left", "number", asked.scores[rows] - said)
    return associate(left, Column("outcome", "number", outcome[rows])).figure


def _answer(draft: Draft, places: dict[str, int], gap: int, part: str) -> str:
    ours, theirs = (draft.figure(places[name]) for name in (_TRAINING, part))
    figure = draft.figure(gap)
    if ours.value is None or theirs.value is None or (ends := figure.interval(draft.level)) is None:
        return f"Whether the scores know their training rows can't be said: {ours.note or theirs.note or figure.note}."
    on = f"{part} rows" if part != "unseen" else "others"
    told = (
        f"what a surrogate leaves of them correlates with the outcome by {wording.figure_to(ours, draft.level)} on "
        f"training rows and by {wording.figure_to(theirs, draft.level)} on {on}"
    )
    if ends[0] > 0:
        return f"The scores know more of the outcomes of their training rows than of others: {told}."
    if ends[1] < 0:
        return f"The scores follow the outcomes of training rows no more closely than of others: {told}."
    return f"Whether the scores know their training rows is open: {told}."
