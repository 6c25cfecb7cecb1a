"""All groups of a ground at once: how far they lie apart, and what all comparisons come to together."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Audited, Compared
from brookfall.core.check.groups.criteria import Criterion, Kind
from brookfall.core.check.groups.protected_groups import GROUPS_TO_COMPARE
from brookfall.core.check.groups.sides import Member
from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation import wording
from brookfall.core.measure.between_groups import (
    Spread,
    difference_between,
    ratio_between,
    spread_of_means,
    spread_of_shares,
)
from brookfall.core.measure.figure import FEW_EVENTS, Figure
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.paired_tests import holm


@dataclass(frozen=True)
class Omnibus:
    """The place of the estimate of how far all groups of a ground lie apart by one criterion, and its p value; ``told``
    is where that stands, once it is told."""

    read: Audited
    attributes: tuple[str, ...]
    criterion: Criterion
    kind: Kind
    place: int
    p: float | None
    told: dict[Kind, int] = field(default_factory=dict)

    @property
    def words(self) -> str:
        return wording.listed([name.replace("_", " ") for name in self.attributes])


def omnibus_of(bench: Bench, draft: Draft, compared: Sequence[Compared], *, judge: bool = True) -> list[Omnibus]:
    """How far all recorded groups lie apart by a criterion, where there are three or more: each against everyone else
    can't show a split down the middle."""
    first = compared[0]
    criterion, read = first.criterion, first.read
    recorded = [one.member for one in compared if one.member.group.recorded]
    kind = criterion.contrast
    if len(recorded) < GROUPS_TO_COMPARE or kind is None:
        return []
    large = [one for one in recorded if not one.rate(criterion.measure).few]
    spread, n = _spread_of(criterion, large), sum(one.rate(criterion.measure).n for one in large)
    apart = ratio_between if kind == "ratio" else difference_between
    repeats = zip(*(one.again for one in compared if one.member in large), strict=True)
    again = [apart(_spread_of(criterion, members), n).value for members in repeats]
    figure = replace(apart(spread, n), n=n)
    # A low group's over a high one's, and a high one's less a low one's.
    range_ = (0.0, 1.0) if kind == "ratio" else (0.0, criterion.range_of(kind)[1])
    figure = figure.over_repeats(again, ratio=kind == "ratio", range_=range_)
    if spread is not None and min(spread.common, 1 - spread.common) * spread.n < FEW_EVENTS and criterion.is_share:
        figure = figure.marked(few=True)
    place = draft.add(
        f"{criterion.measure}_between_groups",
        figure,
        comparison=kind,
        attribute=" × ".join(first.member.group.attributes),
        limit=criterion.limits(bench.plan, read.rows)[kind] if judge else None,
        **read.about(),
    )
    p = None if spread is None or draft.limit(place) is None else spread.p
    return [Omnibus(read, first.member.group.attributes, criterion, kind, place, p)]


def _spread_of(criterion: Criterion, members: Sequence[Member]) -> Spread | None:
    if criterion.is_share:
        counts = [one.share(criterion.measure).counts() for one in members]
        hits, n = (np.array([pair[place] for pair in counts], dtype=np.float64) for place in (0, 1))
        return spread_of_shares(hits, n)
    figures = [one.rate(criterion.measure) for one in members]
    ends = [figure.interval(_LEVEL) for figure in figures]
    known = [
        (figure.value, ((end[1] - end[0]) / 2 / z_of(_LEVEL)) ** 2)
        for figure, end in zip(figures, ends, strict=True)
        if figure.value is not None and end is not None and end[1] > end[0]
    ]
    if len(known) < len(figures) or not known:
        return None
    # By the intervals' own errors, which know of weights and of rows that belong together.
    means, variances = (np.array(column) for column in zip(*known, strict=True))
    return spread_of_means(means, 1 / variances, 1.0)


_LEVEL = 0.95
"""Of the intervals that the error of a mean is read from."""


def tell_p(draft: Draft, compared: Iterable[Compared], omnibus: Iterable[Omnibus]) -> None:
    """Adds the p value of every judged comparison and omnibus estimate, alone and adjusted for their number (Holm
    1979)."""
    told: list[tuple[int, dict[Kind, int], Kind, float]] = []
    for one in compared:
        for kind, place in one.judged(draft):
            limit, figure = draft.limit(place), draft.figure(place)
            ideal = None if limit is None else limit.ideal
            p = None if ideal is None or figure.few else figure.p_of(ideal)
            if p is not None:
                told.append((place, one.p, kind, p))
    told.extend((one.place, one.told, one.kind, one.p) for one in omnibus if one.p is not None)
    adjusted = holm(np.array([p for *_, p in told]))
    for (place, into, kind, p), together in zip(told, adjusted, strict=True):
        n, note = draft.figure(place).n, f"Holm over {len(told)} comparisons; alone {wording.p_value(p)}"
        draft.add_like(place, "p_value", Figure(p, n, note="a p value has no interval"))
        into[kind] = draft.add_like(place, "p_value_holm", Figure(float(together), n, note=note))


_ENOUGH_ROWS = 0.8


def is_cleared(draft: Draft, pages: Iterable[Sequence[Sequence[Compared]]], omnibus: Iterable[Omnibus]) -> bool:
    """Whether all but a few small groups are shown to be well: every omnibus estimate is within, and on every page the
    groups that are within by every criterion hold at least four fifths of its rows.

    ``pages`` are, a ground or combination each, the comparisons by criterion over the same groups.
    """
    if not all(draft.standing(one.place) is Standing.WITHIN for one in omnibus if draft.limit(one.place) is not None):
        return False
    return all(_share_within(draft, page) >= _ENOUGH_ROWS for page in pages)


def _share_within(draft: Draft, page: Sequence[Sequence[Compared]]) -> float:
    well = whole = 0
    for of_group in zip(*page, strict=True):
        judged = [place for one in of_group for _, place in one.judged(draft)]
        if judged:
            n = len(of_group[0].member.group)
            whole += n
            well += n * all(draft.standing(place) is Standing.WITHIN for place in judged)
    return well / whole if whole else 1.0
