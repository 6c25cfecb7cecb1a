"""Stability: how much one person's score moves when the recipe is fitted again.

The recipe is fitted on the training rows drawn again with replacement, the fits that optimism makes already, and with
other seeds on the very rows; each refit scores the same unseen rows. What is told is how far a score moves on average,
and how many decisions turn (Riley & Collins 2023). Then how far the folds agree on which features matter, by the ranks
of their permutation importance (Kendall's W). None of it is judged unless a policy limits the decisions that turn.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import HIGH_STAKES, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared.resamples import resamples
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.marks import Axis, LineThrough, Mark, MarksChart, Points
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import InfluenceReading, Need, Rows, ScoreReading
from brookfall.core.foundation import digest, wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.instability import Movement, RankAgreement, movement, rank_agreement
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import AnyScored, ScoredClasses, ScoredNumbers

_SEEDS = 10
_MOST_ROWS = 2_000
_DRAWN = 120
_RANKS_SHUFFLED = 5
_MANY = 0.1
"""The share of decisions that turn from which on the answer says so first: one in ten (common practice)."""


@dataclass(frozen=True)
class _Moved:
    """Refits of one kind: what they are called, how many, what they do, and the places of the two estimates."""

    name: str
    words: str
    refits: int
    movement: Movement
    scores: int
    decisions: int | None


class Stability(Check):
    name = "stability"
    title = "Stability"
    question = 3
    source = "Riley & Collins 2023 (from memory); Hall 1992 on influence values; Kendall & Babington Smith 1939."
    refits = True
    tiers = HIGH_STAKES
    reads = Reads(plan=("shuffles", "policy.limits"))

    def sentence(self, about: About) -> Sentence:
        return say(
            f"Refit on {about.plan.shuffles} resamples and with {_SEEDS} other seeds; tell how far a score moves and "
            "how many decisions turn."
        )

    def requests(self, bench: Bench) -> list[Need]:
        return [*_needs_of_refits(bench), *_needs_of_ranks(bench)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft, rows = Draft(bench.plan.policy.level), _rows(bench)
        first, *again = (ledger.scores(need) for need in _needs_of_refits(bench))
        scored = bench.scored(rows, first, "stability")
        resampled, seeded = np.stack(again[: bench.plan.shuffles]), np.stack(again[bench.plan.shuffles :])
        moved = [_moved(bench, draft, "resampled", "rows drawn again", scored, resampled)]
        if np.any(seeded != first):
            moved.append(_moved(bench, draft, "seeds", "other seeds", scored, seeded))
        ranks = _ranks(bench, ledger)
        place = draft.add("rank_agreement", ranks.w, part="out_of_fold")
        series, charts = _charts(scored, moved[0].movement)
        return draft.write(
            _answer(draft, moved[0], scored),
            lines=(*_seed_lines(draft, moved), *_rank_lines(bench, draft, place, ranks)),
            charts=charts,
            series=series,
            tables=(_table(moved, scored), *_rank_table(bench, ranks)),
        )


def _rows(bench: Bench) -> Rows:
    """The test part, which no refit has seen, or so many of its rows; sorted."""
    rows = bench.split.parts["test"]
    if len(rows) <= _MOST_ROWS:
        return rows
    rng = np.random.default_rng(digest.seed_from("stability", bench.plan.seed))
    return np.sort(rng.choice(rows, _MOST_ROWS, replace=False))


def _needs_of_refits(bench: Bench) -> list[Need]:
    """The fit on all cross-validated rows, those on them drawn again, those with other seeds; all score one part."""
    reading, rows = ScoreReading(_rows(bench)), bench.split.cross_validated
    own = bench.recipe.seed
    others = [seed for seed in range(_SEEDS + 1) if seed != own][:_SEEDS]
    return [
        Need(bench.fit(rows), reading),
        *(Need(bench.fit(drawn), reading) for drawn in resamples(bench)),
        *(Need(bench.fit(rows, bench.recipe.model_copy(update={"seed": seed})), reading) for seed in others),
    ]


def _needs_of_ranks(bench: Bench) -> list[Need]:
    main, seed = bench.plan.main_measure, bench.plan.seed
    return [
        Need(bench.fit(fold.train), InfluenceReading(fold.test, main, _RANKS_SHUFFLED, seed))
        for fold in bench.split.long_folds
    ]


def _moved(
    bench: Bench,
    draft: Draft,
    name: str,
    words: str,
    rows: AnyScored,
    again: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]",
) -> _Moved:
    found = movement(rows, again)
    threshold = bench.subject.threshold if bench.subject.outcome == "binary" else None
    scores = draft.add("score_movement", found.scores, model=name, part="test")
    decisions = None
    if found.decisions.value is not None:
        limit = bench.plan.policy.limits.get(Stability.name) if name == "resampled" else None
        decisions = draft.add(
            "decisions_turned", found.decisions, model=name, part="test", threshold=threshold, limit=limit
        )
    return _Moved(name, words, len(again), found, scores, decisions)


def _ranks(bench: Bench, ledger: Ledger) -> RankAgreement:
    read = np.stack([ledger.scores(need)[:, 0] for need in _needs_of_ranks(bench)])
    return rank_agreement(np.nan_to_num(read))


# The answer.


def _answer(draft: Draft, one: _Moved, rows: AnyScored) -> list[str]:
    moves = f"{_thing(rows)} moves by {_told(draft, one.scores)} on average"
    over = f"(n {wording.count(len(rows))}, {wording.counted(one.refits, 'refit')})"
    if one.decisions is None:
        return [f"When rows are drawn again and the recipe refitted, {moves} {over}."]
    turned = draft.figure(one.decisions)
    told = wording.share_with_ends(turned, draft.level)
    ends = turned.interval(draft.level)
    if ends is not None and ends[0] > _MANY:
        return [
            f"More than one decision in ten turns when rows are drawn again and the recipe refitted: {told} {over}.",
            f"{wording.capital(moves)}.",
        ]
    return [
        f"When rows are drawn again and the recipe refitted, {told} of decisions turn {over}.",
        f"{wording.capital(moves)}.",
    ]


def _told(draft: Draft, place: int) -> str:
    """The figure with as many decimals as tell its ends apart."""
    figure, decimals = draft.figure(place), 3
    low, high = figure.interval(draft.level) or (0.0, 1.0)
    while decimals < _MOST_DECIMALS and round(low, decimals) == round(high, decimals):
        decimals += 1
    few = ", of too few rows to judge," if figure.few else ""
    return f"{wording.figure_to(figure, draft.level, decimals)}{few}"


_MOST_DECIMALS = 6


def _thing(rows: AnyScored) -> str:
    if isinstance(rows, ScoredNumbers):
        return "a prediction"
    return "a row's share of probability" if isinstance(rows, ScoredClasses) else "a score"


def _seed_lines(draft: Draft, moved: Sequence[_Moved]) -> tuple[str, ...]:
    tenth = float(np.quantile(moved[0].movement.by_row, 0.9))
    lines = [f"In one row of ten it moves by more than {wording.number(tenth)} on average over the refits."]
    if len(moved) == 1:
        return (*lines, "Other seeds give the very same scores.")
    seeds = moved[1]
    turned = (
        ""
        if seeds.decisions is None
        else f"; {wording.share_with_ends(draft.figure(seeds.decisions), draft.level)} of decisions turn"
    )
    return (
        *lines,
        f"From seed to seed it moves by {_told(draft, seeds.scores)}{turned}.",
    )


def _rank_lines(bench: Bench, draft: Draft, place: int, ranks: RankAgreement) -> tuple[str, ...]:
    figure, names = draft.figure(place), bench.subject.features
    if figure.value is None:
        return (f"How far folds agree on what matters: {figure.note}.",)
    first = {names[int(row.argmin())] for row in ranks.ranks}
    spread = ranks.ranks.max(axis=0) - ranks.ranks.min(axis=0)
    widest = int(spread.argmax())
    lead = (
        f"'{next(iter(first))}' comes first in all"
        if len(first) == 1
        else f"{len(first)} features come first in one or another"
    )
    return (
        f"Folds rank the features alike with W {wording.number(figure.value, 2)} (1 is the same order in all "
        f"{len(ranks.ranks)}): {lead}; least steady is '{names[widest]}', from {ranks.ranks[:, widest].min():g} to "
        f"{ranks.ranks[:, widest].max():g}.",
    )


# The picture and the numbers.


def _charts(rows: AnyScored, moved: Movement) -> tuple[dict[str, Series], tuple[MarksChart, ...]]:
    """Some rows by their score, with what 95 % of the refits score them."""
    if isinstance(rows, ScoredNumbers):
        first, label = rows.predictions, "prediction"
    elif isinstance(rows, ScoredClasses) and rows.scores is not None:
        first, label = rows.scores.max(axis=1), "probability of the likeliest class"
    else:
        first, label = (np.zeros(0) if rows.scores is None else rows.scores), "score"
    order = np.argsort(first, kind="stable")
    kept = order[np.unique(np.linspace(0, len(order) - 1, min(_DRAWN, len(order))).round().astype(np.int64))]
    columns = {
        "x": first[kept],
        "y": (moved.low[kept] + moved.high[kept]) / 2,
        "low": moved.low[kept],
        "high": moved.high[kept],
    }
    ends = [float(first.min()), float(first.max())]
    series: dict[str, Series] = {
        "stability:rows": {name: [round(float(value), 6) for value in values] for name, values in columns.items()},
        "stability:same": {"x": [*ends], "y": [*ends]},
    }
    marks: tuple[Mark, ...] = (
        LineThrough(series="stability:same", label="as fitted on all", colour="baseline", dashed=True),
        Points(series="stability:rows", low="low", high="high", label="95 % of the refits", colour="test"),
    )
    return series, (
        MarksChart(
            title=f"What refits say of {len(kept)} test rows",
            x=Axis(label=f"{label}, fitted on all rows outside test"),
            y=Axis(label=f"{label} in refits"),
            marks=marks,
        ),
    )


def _table(moved: Sequence[_Moved], rows: AnyScored) -> TableView:
    return TableView(
        title=f"On {wording.count(len(rows))} test rows",
        columns=(
            "refits with",
            "refits",
            wording.capital(words_of("score_movement")),
            wording.capital(words_of("decisions_turned")),
        ),
        rows=tuple(
            (
                text(one.words),
                text(str(one.refits)),
                at(one.scores),
                text("–") if one.decisions is None else at(one.decisions),
            )
            for one in moved
        ),
    )


def _rank_table(bench: Bench, ranks: RankAgreement) -> tuple[TableView, ...]:
    if ranks.w.value is None:
        return ()
    order = np.argsort(ranks.ranks.mean(axis=0), kind="stable")[:20]
    names = bench.subject.features
    return (
        TableView(
            title="Ranks of permutation importance over the folds",
            columns=("feature", "mean rank", "best", "worst"),
            rows=tuple(
                (
                    text(names[place]),
                    *(
                        text(f"{value:.3g}")
                        for value in (
                            ranks.ranks[:, place].mean(),
                            ranks.ranks[:, place].min(),
                            ranks.ranks[:, place].max(),
                        )
                    ),
                )
                for place in order.tolist()
            ),
        ),
    )
