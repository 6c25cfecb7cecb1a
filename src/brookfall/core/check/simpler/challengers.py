"""Challengers: other families on the same folds, ranked by the plan's measure; who can't be told apart is bracketed."""

from dataclasses import dataclass
from functools import partial

import numpy as np

from brookfall.core.candidate.candidate import Candidate
from brookfall.core.candidate.refitted import Refitted
from brookfall.core.check.bench import RECIPE, Bench, ScoredPart
from brookfall.core.check.check import ANY_OUTCOME, NOT_LIGHT, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import (
    About,
    ChoiceField,
    NumberField,
    Option,
    RecipesField,
    Sentence,
    lower_limit,
    say,
)
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.better_model import Words, allowed, brackets_of, rank, told
from brookfall.core.check.shared.refits import gain_of, score_of
from brookfall.core.check.shared.version_sentence import limit_to_challenger
from brookfall.core.evidence.chart import Cell, StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import FitFailedError, Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import AnyScored
from brookfall.core.recipe.families import families

_OVERLAID = 3
_OVERLAID_CURVES = ("roc", "depth")


@dataclass(frozen=True)
class _Ran:
    """A challenger that was fitted: its rows with their scores, seconds a fit, what was chosen."""

    candidate: Refitted
    rows: AnyScored
    seconds: float
    chosen: str

    @property
    def family(self) -> str:
        return self.candidate.name

    @property
    def words(self) -> str:
        return self.candidate.words


class Challengers(Check):
    name = "challengers"
    title = "Challengers"
    question = 5
    source = (
        "Corrected resampled t over the same folds (Nadeau & Bengio 2003); on a part, paired intervals on the "
        "same rows (DeLong et al. 1988; Newcombe 1998; Hall 1992); simultaneous by Bonferroni."
    )
    needs_features = True
    outcomes = ANY_OUTCOME
    tiers = NOT_LIGHT
    reads = Reads(plan=("challengers", "own_challengers", "policy.worse_than_challenger"))

    def sentence(self, about: About) -> Sentence:
        if about.outcome == "choice":
            return say(
                "Set it against the alternatives' constants alone, and against itself without each feature, on the "
                "same folds; and against {own}.",
                limit_to_challenger(about),
                own=_own(about),
                worse=_worse(about),
            )
        return say(
            "Set it against other families {how}, on the same folds, and rank them; and against {own}.",
            limit_to_challenger(about),
            how=ChoiceField(
                name="Challengers",
                path=("challengers",),
                value=about.plan.challengers,
                options=(
                    Option(value="default", words="with their own defaults"),
                    Option(value="tuned", words="tuned inside the folds"),
                ),
            ),
            own=_own(about),
            worse=_worse(about),
        )

    def requests(self, bench: Bench) -> list[Need]:
        needs, part = list(bench.deciding_needs), bench.deciding_part_of(bench.leading)
        for challenger in bench.challengers:
            needs += [*challenger.needs(part), *challenger.choices(part)]
        return needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        mine = bench.leading
        ours, submitted_model = bench.deciding(ledger, mine), bench.tested(mine)
        _refuse_other_rows(bench, ours)
        ran, failed = _ran(bench, ledger)
        if not ran:
            return not_applicable("No other family could be fitted to these rows.")
        main = bench.plan.main_measure
        draft = Draft(bench.plan.policy.level)
        submitted = draft.add(
            main, score_of(bench, ledger, main, submitted_model, ours.part), model=mine, part=ours.part
        )
        places = {
            one.family: draft.add(
                main, score_of(bench, ledger, main, one.candidate, ours.part), model=one.family, part=ours.part
            )
            for one in ran
        }
        gains = {
            one.family: draft.add(
                main,
                gain_of(bench, ledger, main, submitted_model, one.candidate, ours.part),
                comparison="difference",
                model=mine,
                part=ours.part,
                versus=Versus(model=one.family),
                limit=allowed(bench),
            )
            for one in ran
        }
        whole: list[Entry] = [(submitted_model, "as submitted", ours.scored, submitted)]
        whole += [(one.candidate, one.words, one.rows, places[one.family]) for one in ran]
        ranked = sorted(whole, key=lambda one: rank(draft.figure(one[3]), main))
        overlay = _best_and_ours(ranked, mine)
        colours = {
            words: "recipe" if one.name == mine else f"model:{i}" for i, (one, words, _, _) in enumerate(overlay)
        }
        drawn = {words: rows for _, words, rows, _ in overlay}
        overlaid, series = pictures.curve_charts(drawn, draft.level, colours=colours, only=_OVERLAID_CURVES)
        return draft.write(
            [*_answer(bench, draft, ours, ran, submitted, places, gains), _of_failed(failed)],
            charts=(_strip(bench, ledger, draft, ranked, ours.part), *overlaid),
            series=series,
            tables=(_table(bench, ranked, gains, failed, ours, {one.family: one.chosen for one in ran}),),
            fit_seconds=_seconds(bench, ledger, ran),
        )


def _refuse_other_rows(bench: Bench, ours: ScoredPart) -> None:
    """UserError where others can't be fitted on the owner's training rows and held against the same rows."""
    if RECIPE in bench.models:
        return
    there = bench.split.parts.get(ours.part)
    if there is None or not np.array_equal(ours.positions, bench.subject.units(there)) or not ours.scored.known().all():
        raise UserError(
            f"The plan's {ours.part} part is not that of the model that came without a recipe, so others can't be set "
            "against it on the same rows.",
            todo="Take the parts from the column that names them.",
        )


def _own(about: About) -> RecipesField:
    return RecipesField(
        name="Challengers of your own",
        path=("own_challengers",),
        value=tuple(one.model_dump(mode="json") for one in about.plan.own_challengers),
        families=tuple(
            Option(value=name, words=one.words) for name, one in families().items() if about.outcome in one.outcomes
        ),
        most=8,
    )


def _worse(about: About) -> NumberField:
    named = "Limit on being worse than a challenger"
    return lower_limit(about, "worse_than_challenger", named, 1, least=-1, turned=True)


def _ran(bench: Bench, ledger: Ledger) -> tuple[list[_Ran], dict[str, str]]:
    """The challengers that were fitted, and why others failed, by what it is called."""
    ran, failed = [], {}
    part = bench.deciding_part_of(bench.leading)
    for challenger in bench.challengers:
        try:
            rows = challenger.scored(ledger, part).scored
        except FitFailedError as problem:
            failed[challenger.words] = str(problem)
            continue
        keys = sorted({need.fit.key for need in challenger.needs(part)})
        seconds = float(np.mean([ledger.seconds(key) for key in keys]))
        ran.append(_Ran(challenger, rows, seconds, _chosen(challenger, bench, ledger)))
    return ran, failed


def _chosen(challenger: Refitted, bench: Bench, ledger: Ledger) -> str:
    """The settings that were chosen most often, and in how many of the fits; nothing where nothing was tuned."""
    if challenger.tuning is None:
        return ""
    places = [int(ledger.scores(need)[0]) for need in challenger.choices(bench.deciding_part_of(bench.leading))]
    most = int(np.bincount(places).argmax())
    settings = ", ".join(f"{name.replace('_', ' ')} {value}" for name, value in challenger.tuning.tried[most])
    return f"{settings} ({places.count(most)} of {len(places)})"


def _seconds(bench: Bench, ledger: Ledger, ran: list[_Ran]) -> dict[str, float]:
    ours = sorted({need.fit.key for need in bench.deciding_needs})
    submitted = {"as submitted": float(np.mean([ledger.seconds(key) for key in ours]))} if ours else {}
    return {**submitted, **{one.words: one.seconds for one in ran}}


Entry = tuple[Candidate, str, AnyScored, int]
"""A model in the ranking, what it is called, its rows, the place of its estimate."""


def _best_and_ours(ranked: list[Entry], ours: str) -> list[Entry]:
    best = [one for one in ranked if one[0].name != ours][:_OVERLAID]
    return [*(one for one in ranked if one[0].name == ours), *best]


def _strip(bench: Bench, ledger: Ledger, draft: Draft, ranked: list[Entry], part: str) -> StripChart:
    main = bench.plan.main_measure
    rows = tuple(
        StripRow(estimate=place, label=words, colour="recipe" if one.name == bench.leading else "challenger")
        for one, words, _, place in ranked
    )
    differ = partial(gain_of, bench, ledger, main, part=part)
    brackets = brackets_of([one for one, _, _, _ in ranked], differ, draft.level)
    group = StripGroup(label=pictures.in_words(main), rows=rows, brackets=brackets)
    title = f"Ranked on {part.replace('_', '-')} {bench.subject.unit}s; a bracket joins those that can't be told apart"
    return StripChart(title=title, unit="", groups=(group,))


def _table(
    bench: Bench,
    ranked: list[Entry],
    gains: dict[str, int],
    failed: dict[str, str],
    ours: ScoredPart,
    chosen: dict[str, str],
) -> TableView:
    main, tuned = bench.plan.main_measure, bench.plan.challengers == "tuned"

    def row(name: str, words: str, value: Cell, gain: Cell) -> tuple[Cell, ...]:
        more = (text(chosen.get(name) or "–"),) if tuned else ()
        return (text(words), value, gain, *more)

    rows = [
        row(one.name, words, at(place), at(gains[one.name]) if one.name in gains else text("–"))
        for one, words, _, place in ranked
    ]
    rows += [row(name, name, text(f"failed: {why}"), text("–")) for name, why in failed.items()]
    how = "challengers tuned inside each fold's own rows" if tuned else "challengers with their own defaults"
    if bench.subject.choices is not None:
        how = "without a feature everything else is as submitted"
    threshold = bench.subject.threshold
    decided = f", decided at {threshold:g}" if bench.subject.outcome == "binary" and threshold is not None else ""
    return TableView(
        title=f"On the same {bench.subject.counted(len(ours.positions))}; {how}{decided}",
        columns=(
            "model",
            words_of(main),
            "the submitted model is better by",
            *(("chosen most often, in so many fits",) if tuned else ()),
        ),
        rows=tuple(rows),
    )


def _answer(
    bench: Bench,
    draft: Draft,
    ours: ScoredPart,
    ran: list[_Ran],
    submitted: int,
    places: dict[str, int],
    gains: dict[str, int],
) -> list[str]:
    main = bench.plan.main_measure
    words = words_of(main)
    ordered = sorted(ran, key=lambda one: rank(draft.figure(places[one.family]), main))
    wide = {one.family: draft.figure(gains[one.family]).interval(draft.wide_level) for one in ordered}
    # The one that the mark is read from: the best of those that stand worst.
    standing = draft.worst()
    shown_one = next((one for one in ordered if draft.standing(gains[one.family]) is standing), ordered[0])
    which = f"{shown_one.words}, the best" if shown_one is ordered[0] else shown_one.words
    figures = (
        f"{words} {wording.figure(draft.figure(submitted), draft.level)} against "
        f"{wording.figure(draft.figure(places[shown_one.family]), draft.level)} of {which}, "
        f"on {bench.subject.counted(len(ours.positions))}"
    )
    # Beating the one that ranks first is not beating all: another may lie close enough not to be told apart.
    open_ones = [one.words for one in ordered if not ((ends := wide[one.family]) and ends[0] > 0)]
    opening = Words(
        plain="The submitted model has",
        better="It beats the best challenger" if open_ones else "It beats every challenger",
        worse="A challenger does better",
        beyond="A challenger does better by more than the limit",
        kept="No challenger is better by more than the limit",
        open="These rows can't tell whether a challenger is better",
    )
    said = told(draft, gains[shown_one.family], figures, opening)
    beaten = (ends := wide[shown_one.family]) is not None and ends[0] > 0
    if not beaten or not open_ones:
        return [said]
    return [said, wording.line_of("These rows can't tell it apart from", open_ones)]


def _of_failed(failed: dict[str, str]) -> str:
    if not failed:
        return ""
    names = wording.listed(list(failed))
    return f"{wording.capital(names)} could not be fitted; the table says why."
