"""Without leak suspects: the recipe refitted from the other features, and what its score becomes."""

import numpy as np

from brookfall.core.candidate.baseline import Baseline
from brookfall.core.check.bench import BASELINE, OUT_OF_FOLD, RECIPE, Bench, ScoredPart
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.leak_suspects import alone, identifiers_among
from brookfall.core.check.shared.refits import gain_by_fold, score_by_fold
from brookfall.core.evidence.chart import StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import measure, words_of

_ENOUGH = 20_000
"""Rows on which it is told which features are suspects; more would say the same."""
_MOST_ALONE = 5
_TOGETHER = "without all suspects"


class WithoutLeaks(Check):
    name = "without_leaks"
    title = "Without leak suspects"
    question = 1
    source = "Corrected resampled t over the same folds (Nadeau & Bengio 2003)."
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(plan=("policy.alone",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Refit the recipe without the features that give the answer away, and without identifiers; see what its "
            "score becomes."
        )

    def requests(self, bench: Bench) -> list[Need]:
        variants = _variants(bench, suspects(bench))
        return [need for features in (None, *variants.values()) for need in _needs(bench, features)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft, names = Draft(bench.plan.policy.level), pictures.main_measures(bench)
        left_out = suspects(bench)
        variants = _variants(bench, left_out)
        scored = {RECIPE: _scored(bench, ledger, None)}
        scored |= {name: _scored(bench, ledger, features) for name, features in variants.items()}
        rows = {name: one.scored for name, one in scored.items()}
        rows[BASELINE] = Baseline(bench.split, bench.split.cross_validated).on(scored[RECIPE].positions)
        places = {
            (measured, name): draft.add(
                measured,
                score_by_fold(measured, bench.split.long_folds, scored[name])
                if name in scored
                else measure(measured, one),
                model=name,
                part=OUT_OF_FOLD,
            )
            for measured in names
            for name, one in rows.items()
        }
        losses = {
            (measured, name): draft.add(
                measured,
                # Positive where the suspects flatter the recipe.
                gain_by_fold(measured, bench.split.long_folds, scored[RECIPE], one),
                comparison="difference",
                part=OUT_OF_FOLD,
                versus=Versus(model=name),
            )
            for measured in names
            for name, one in scored.items()
            if name != RECIPE
        }
        groups = [
            (
                measured,
                StripGroup(
                    label=pictures.in_words(measured),
                    rows=tuple(
                        StripRow(
                            estimate=places[measured, name], label=_called(name), colour=_COLOURS.get(name, "fold")
                        )
                        for name in rows
                        if draft.figure(places[measured, name]).value is not None
                    ),
                ),
            )
            for measured in names
        ]
        return draft.write(
            _answer(bench, draft, places, losses, left_out, list(variants)[-1], len(rows[RECIPE])),
            charts=pictures.strips("The same folds, refitted from other features", groups),
            tables=tuple(_table(measured, list(rows), places, losses) for measured in names),
        )


def suspects(bench: Bench) -> tuple[str, ...]:
    """The features to refit without: those that by their values or their gaps decide the target, and identifiers."""
    rows = bench.subject.rows
    if len(rows) > _ENOUGH:
        rng = np.random.default_rng(digest.seed_from("suspects", bench.plan.seed))
        rows = np.sort(rng.choice(rows, _ENOUGH, replace=False))
    limit = bench.plan.policy.alone
    told = [
        one.feature
        for one in alone(bench.subject, bench.plan.seed, rows)
        if one.figure.value is not None and not limit.keeps(one.figure.value)
    ]
    return tuple(dict.fromkeys([*told, *(name for name, _ in identifiers_among(bench.subject))]))


def _variants(bench: Bench, left_out: tuple[str, ...]) -> dict[str, tuple[str, ...]]:
    """The features that are left without these: one by one, where there are a few, and last without all of them."""
    features = bench.subject.features
    if not left_out:
        raise UserError("No feature is a leak suspect.", todo="There is nothing to refit without.")
    if len(left_out) == len(features):
        raise UserError("Every feature is a leak suspect.", todo="Nothing is left to refit from; look at the data.")
    found = {}
    if 1 < len(left_out) <= _MOST_ALONE:
        found = {f"without {name}": tuple(one for one in features if one != name) for name in left_out}
    together = _TOGETHER if len(left_out) > 1 else f"without {left_out[0]}"
    return {**found, together: tuple(one for one in features if one not in left_out)}


def _needs(bench: Bench, features: tuple[str, ...] | None) -> list[Need]:
    return [_need(bench, fold.train, fold.test, features) for fold in bench.split.long_folds]


def _need(bench: Bench, train: Rows, test: Rows, features: tuple[str, ...] | None) -> Need:
    return Need(bench.fit(train, features=features), ScoreReading(test))


def _scored(bench: Bench, ledger: Ledger, features: tuple[str, ...] | None) -> ScoredPart:
    return bench.held_out(ledger, bench.split.long_folds, _needs(bench, features))


_COLOURS = {RECIPE: "recipe", BASELINE: "baseline"}


def _called(name: str) -> str:
    return {RECIPE: "as submitted", BASELINE: "baseline"}.get(name, name)


def _table(
    measured: str, models: list[str], places: dict[tuple[str, str], int], losses: dict[tuple[str, str], int]
) -> TableView:
    words = words_of(measured)
    return TableView(
        title=f"{wording.capital(words)} by what the recipe learns from",
        columns=("", words, "better with the suspects by"),
        rows=tuple(
            (
                text(_called(name)),
                at(places[measured, name]),
                at(losses[measured, name]) if (measured, name) in losses else text("–"),
            )
            for name in models
        ),
    )


def _answer(
    bench: Bench,
    draft: Draft,
    places: dict[tuple[str, str], int],
    losses: dict[tuple[str, str], int],
    left_out: tuple[str, ...],
    together: str,
    n: int,
) -> str:
    main = bench.plan.main_measure
    words = words_of(main)
    before, after = draft.figure(places[main, RECIPE]), draft.figure(places[main, together])
    lost = draft.figure(losses[main, together])
    lead = "Without " + wording.listed(list(left_out))
    if before.value is None or after.value is None or lost.value is None:
        return f"{lead}, {words} can't be said: {before.note or after.note or lost.note}."
    interval = lost.interval(draft.level)
    clear = interval is not None and (interval[0] > 0 or interval[1] < 0)
    said = (
        f"{lead}, {words} goes from {wording.figure(before, draft.level)} to {wording.figure(after, draft.level)} on "
        f"{wording.rows(n)} unseen"
        + (": the score rests on it." if clear and lost.value > 0 else ", which can't be told from no change.")
    )
    if ("accuracy", together) not in places:
        return said
    accuracy, baseline = (draft.figure(places["accuracy", name]) for name in (together, BASELINE))
    return (
        f"{said} Accuracy is then {wording.figure(accuracy, draft.level)}, against "
        f"{wording.figure(baseline, draft.level)} for always giving the most frequent answer."
    )
