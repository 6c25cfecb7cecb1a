"""Segments: the main measure where rows differ in a column that is not protected, the worst first.

A segment is judged against the other rows. Part of a difference is the cases: among rows whose scores lie close
together nobody ranks well. What the measure would be in either place if the scores were the true probabilities is taken
off, and what is left is judged; without probabilities nothing can be taken off, and shares are shown only.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TypedDict

import numpy as np

from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, lower_limit, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.divided_columns import Segment, divided
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.case_mix import expected
from brookfall.core.measure.figure import Figure, Interval
from brookfall.core.measure.interval import independent_difference, independent_ratio
from brookfall.core.measure.registry import lower_is_better, measure, named, words_of
from brookfall.core.measure.scored import Scored, ScoredClasses

_SHOWN = 12


class _Labels(TypedDict):
    model: str
    part: str
    group: dict[str, str]


@dataclass(frozen=True)
class _Judged:
    """A segment with the places of its estimates: the measure in it, less that of all other rows, and what of that its
    cases don't explain; ``cases`` is what they do, on the scale of the comparison."""

    segment: Segment
    here: int
    against: int
    left: int
    cases: float | None
    others: Figure


class Segments(Check):
    name = "segments"
    title = "Segments"
    question = 3
    source = (
        "Square and add of independent intervals (Zou & Donner 2008), simultaneous by Bonferroni; cases as in van "
        "Klaveren et al. 2016 (from memory)."
    )
    tiers = NOT_LIGHT
    clears = True
    reads = Reads(plan=("policy.segment_worse", "policy.segment_ratio"), roles=("protected",))

    def sentence(self, about: About) -> Sentence:
        by_ratio = _is_ratio(_within(about.plan.main_measure))
        limit = (
            upper_limit(about, "segment_ratio", "Limit on the loss in a segment", 10)
            if by_ratio
            else lower_limit(about, "segment_worse", "Limit on how much worse a segment is", least=-1, turned=True)
        )
        return say(
            "Measure every segment of the features that are not protected, the worst first.",
            "limit: at most {most} times that of the other rows" if by_ratio else "limit: worse by at most {most}",
            most=limit,
        )

    def requests(self, bench: Bench) -> list[Need]:
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        model = bench.models[0]
        judged = bench.deciding(ledger, model)
        segments = list(segments_of(bench, judged.positions))
        if not segments:
            return not_applicable("No column that is not protected divides the rows.")
        main = _within(bench.plan.main_measure)
        draft = Draft(bench.plan.policy.level)
        whole = draft.add(main, measure(main, judged.scored), model=model, part=judged.part)
        found = [_measured(bench, draft, main, judged, one, model) for one in segments]
        ranked = sorted(found, key=lambda one: _badness(draft, main, one))
        entries = [(one.segment.words, one.here, judged.part) for one in ranked]
        title = f"{pictures.in_words(main)} by segment, the worst first"
        strip = pictures.ranking(title, "Segments", [*entries[:_SHOWN], ("all rows", whole, "baseline")], _SHOWN + 1)
        cleared = _is_cleared(draft, found)
        return draft.write(
            _answer(draft, main, ranked, cleared=cleared),
            lines=_lines(draft, main, ranked),
            charts=(strip,),
            tables=(_table(f"The worst {min(len(ranked), 40)} of {len(ranked)} segments", ranked[:40]),),
            cleared=cleared,
        )


def segments_of(bench: Bench, positions: Rows) -> Iterator[Segment]:
    """Every level of the features that are not protected, numbers in four bins of equal counts.

    A column with more than twelve levels is divided by its twelve most frequent ones. Gaps are a segment.
    """
    subject = bench.subject
    for name in subject.features:
        if name not in subject.roles.protected:
            yield from divided(subject.table.column(name).take(positions))


def _within(main: str) -> str:
    """The plan's main measure, but for R²: it falls wherever outcomes differ less, however small the errors are."""
    return "rmse" if main == "r2" else main


def _is_ratio(main: str) -> bool:
    """Losses without end are set against each other by their ratio."""
    return lower_is_better(main) and not named(main).bounded


def _measured(bench: Bench, draft: Draft, main: str, judged: ScoredPart, segment: Segment, model: str) -> _Judged:
    rows, seed = judged.scored, bench.plan.seed
    inside = np.zeros(len(rows), dtype=np.bool_)
    inside[segment.places] = True
    parts = [rows.take(chosen, segment.words) for chosen in (inside, ~inside)]
    here, others = (measure(main, one) for one in parts)
    about = _Labels(model=model, part=judged.part, group={segment.column: segment.label})
    apart = independent_difference(here, others)
    place = draft.add(main, here, **about)
    against = draft.add(main, apart, comparison="difference", **about)
    here_by, there_by = (expected(main, one, seed) for one in parts)
    known = here_by is not None and there_by is not None
    if _is_ratio(main):
        cases = here_by / there_by if here_by is not None and there_by else 1.0
        figure = _times(independent_ratio(here, others), 1 / cases)
        limit = bench.plan.policy.segment_ratio
        left = draft.add(f"{main}_for_its_cases", figure, comparison="ratio", limit=limit, **about)
        return _Judged(segment, place, against, left, cases if known else None, others)
    cases = (here_by or 0.0) - (there_by or 0.0)
    # Without probabilities nobody can say how much of it is the cases.
    probable = isinstance(rows, Scored | ScoredClasses) and rows.probable
    worse = _as_difference(bench.plan.policy.segment_worse, main) if probable else None
    left = draft.add(f"{main}_for_its_cases", _plus(apart, -cases), comparison="difference", limit=worse, **about)
    return _Judged(segment, place, against, left, cases if known else None, others)


def _as_difference(limit: Limit, main: str) -> Limit:
    """The limit on how much worse it may be, as a limit on the difference of this measure."""
    if not lower_is_better(main):
        return limit
    low, high = (None if end is None else -end for end in (limit.at_most, limit.at_least))
    return limit.model_copy(update={"at_least": low, "at_most": high})


def _plus(figure: Figure, by: float) -> Figure:
    if figure.value is None or figure.bounds is None:
        return figure
    return replace(figure, value=figure.value + by, bounds=Interval(_plus_ends, figure, by))


def _plus_ends(figure: Figure, by: float, level: float) -> tuple[float, float]:
    low, high = figure.interval(level) or (0.0, 0.0)
    return low + by, high + by


def _times(figure: Figure, by: float) -> Figure:
    if figure.value is None or figure.bounds is None:
        return figure
    return replace(figure, value=figure.value * by, bounds=Interval(_times_ends, figure, by))


def _times_ends(figure: Figure, by: float, level: float) -> tuple[float, float]:
    low, high = figure.interval(level) or (0.0, 0.0)
    return low * by, high * by


_ENOUGH_ROWS = 0.8


def _is_cleared(draft: Draft, found: list[_Judged]) -> bool:
    """Whether in every column the segments that are within hold four fifths of the rows."""
    rows: dict[str, list[int]] = {}
    for one in found:
        if draft.limit(one.left) is not None:
            well = draft.standing(one.left) is Standing.WITHIN
            counted = rows.setdefault(one.segment.column, [0, 0])
            counted[0] += well * len(one.segment.places)
            counted[1] += len(one.segment.places)
    return all(well >= _ENOUGH_ROWS * n for well, n in rows.values())


def _badness(draft: Draft, main: str, one: _Judged) -> tuple[bool, float]:
    """Segments that can't be judged come last."""
    figure = draft.figure(one.here)
    if figure.value is None or figure.few:
        return True, 0.0
    return False, -figure.value if lower_is_better(main) else figure.value


def _answer(draft: Draft, main: str, ranked: list[_Judged], *, cleared: bool) -> str:
    """The judged segment that stands worst, or what these rows can tell."""
    judged = [one for one in ranked if draft.limit(one.left) is not None]
    if not judged:
        return _shown_only(draft, main, ranked)
    for wanted in (Standing.OUTSIDE, Standing.NEAR):
        found = [one for one in judged if draft.standing(one.left) is wanted]
        if found:
            return _worst_words(draft, main, max(found, key=lambda one: _size(draft, one)))
    still = [one for one in judged if draft.standing(one.left) is not Standing.WITHIN]
    limit = draft.limit(judged[0].left)
    name, of = words_of(main), "" if limit is None else _limit_words(main, limit)
    if not still:
        return f"No segment is worse by {name} than the other rows beyond {of}: all {len(judged)} are within."
    if cleared:
        return (
            f"No segment is shown to be worse by {name} than the other rows beyond {of}, and "
            f"{len(judged) - len(still)} of {len(judged)} are shown not to be."
        )
    return (
        f"These rows are too few to tell for {len(still)} of {len(judged)} segments whether {name} is worse there by "
        f"more than {of}; none is shown to be."
    )


def _size(draft: Draft, one: _Judged) -> float:
    value = draft.figure(one.left).value or 0.0
    return abs(value - 1) if draft.comparison(one.left) == "ratio" else abs(value)


def _limit_words(main: str, limit: Limit) -> str:
    end = limit.at_most if limit.at_most is not None else limit.at_least
    return f"{end:g} times" if _is_ratio(main) else f"{abs(end or 0.0):g}"


def _worst_words(draft: Draft, main: str, one: _Judged) -> str:
    place = one.left
    here, others, left, limit = draft.figure(one.here), one.others, draft.figure(place), draft.limit(place)
    level = draft.level_of(place)
    told = wording.figure_to(left, level, 2) + " times" if _is_ratio(main) else wording.amount(left, level)
    explained = " once its cases are allowed for" if one.cases is not None else ""
    how = "beyond" if draft.standing(place) is Standing.OUTSIDE else "near"
    return (
        f"{wording.capital(words_of(main))} is {wording.number(here.value)} where {_where(one.segment)} and "
        f"{wording.number(others.value)} elsewhere (n {wording.count(here.n)} and {wording.count(others.n)}): "
        f"{told}{explained}, {how} the limit of {_limit_words(main, limit) if limit else ''}."
    )


def _shown_only(draft: Draft, main: str, ranked: list[_Judged]) -> str:
    known = [one for one in ranked if not draft.figure(one.here).few and draft.figure(one.here).value is not None]
    if not known:
        return f"Every one of {len(ranked)} segments is too small to judge."
    here = draft.figure(known[0].here)
    return (
        f"{wording.capital(words_of(main))} is worst where {_where(known[0].segment)}: "
        f"{wording.figure_to(here, draft.level)} (n {wording.count(here.n)}). Scores that are no probabilities don't "
        "tell how much of that is the cases, so none is judged."
    )


def _lines(draft: Draft, main: str, ranked: list[_Judged]) -> tuple[str, ...]:
    judged = [one for one in ranked if draft.limit(one.left) is not None]
    by: dict[Standing | None, list[str]] = {}
    for one in judged:
        by.setdefault(draft.standing(one.left), []).append(_where(one.segment))
    return (
        wording.line_of("Beyond the limit", by.get(Standing.OUTSIDE, [])),
        wording.line_of("Near the limit", by.get(Standing.NEAR, [])),
        wording.line_of("Open", [*by.get(Standing.UNSETTLED, []), *by.get(None, [])]),
        _of_the_cases(draft, main, ranked),
    )


_MUCH = 0.05


def _of_the_cases(draft: Draft, main: str, ranked: list[_Judged]) -> str:
    """That the lowest value as it stands is for the most part the cases, where it is."""
    known = [one for one in ranked if not draft.figure(one.here).few and draft.figure(one.here).value is not None]
    if not known or known[0].cases is None or _is_ratio(main):
        return ""
    one, apart = known[0], draft.figure(known[0].against).value or 0.0
    share = one.cases / apart if apart and one.cases is not None else 0.0
    if abs(apart) < _MUCH or share <= 0.5:
        return ""
    part = "all" if share >= 1 else f"{wording.number(abs(one.cases or 0.0), 2)}"
    return (
        f"Worst as it stands where {_where(one.segment)} ({wording.number(draft.figure(one.here).value)}); "
        f"{part} of the {wording.number(abs(apart), 2)} to the others is the cases there."
    )


def _where(segment: Segment) -> str:
    if segment.label == "missing":
        return f"'{segment.column}' is missing"
    joint = "is" if not segment.label.startswith("=") else ""
    return " ".join(f"'{segment.column}' {joint} {segment.label}".split())


def _table(title: str, found: list[_Judged]) -> TableView:
    return TableView(
        title=title,
        columns=(
            "column",
            "where it is",
            "measure there",
            "less that of the other rows",
            "once its cases are allowed for",
        ),
        rows=tuple(
            (
                text(one.segment.column),
                text(one.segment.label),
                at(one.here),
                at(one.against),
                at(one.left),
            )
            for one in found
        ),
    )
