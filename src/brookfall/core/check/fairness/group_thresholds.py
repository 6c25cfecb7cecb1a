"""Threshold by group: every criterion along the threshold; a threshold a group can be looked at, never advised."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import Audited, audited, refuse_unprotected
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared.threshold_sentence import UNDECIDED
from brookfall.core.evidence.chart import GroupThresholds, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.curves import Series, threshold_counts, threshold_grid
from brookfall.core.measure.scored import Scored

_NO_DECISION = "Only a binary outcome is decided by a threshold on one score."
_RATE = "selection_rate"


class ByThreshold(Check):
    name = "group_thresholds"
    title = "Threshold by group"
    question = 6
    source = "Counts along the threshold; at the submitted one Katz et al. 1978, Koopman 1984, Newcombe 1998."
    tiers = NOT_LIGHT
    reads = Reads(
        plan=(
            "references",
            "bands",
            "merged",
            "policy.group_ratio",
            "policy.group_difference",
            "policy.grounds",
            "policy.ground_words",
        ),
        roles=("protected",),
    )

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Show every group's rates along the threshold.")

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        if bench.subject.outcome != "binary":
            raise UserError(_NO_DECISION, todo="Leave this check out.")
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        charts, tables, said = [], [], []
        series: dict[str, Series] = {}
        for read in audited(bench, ledger):
            if not isinstance(read.rows, Scored) or not len(read.rows):
                continue
            for ground in read.grounds(bench):
                (members,) = members_of([ground], read.rows, 1, bench.plan.references)
                chart, counted = _chart(bench, read, ground, members)
                charts.append(chart)
                series.update(counted)
                if chart.submitted is not None:
                    tables.append(_table(draft, read, members, chart.whose))
                    said.extend(_reach(bench, draft, chart, members, counted))
        said.sort(key=lambda pair: pair[0])
        few = "No group is large enough to follow along the threshold."
        answer = said[0][1] if said else [few] if bench.subject.threshold is not None else [UNDECIDED]
        return draft.write(answer, charts=tuple(charts), series=series, tables=tuple(tables))


def _chart(
    bench: Bench, read: Audited, ground: Ground, members: list[Member]
) -> tuple[GroupThresholds, dict[str, Series]]:
    rows = read.rows
    if not isinstance(rows, Scored):
        raise TypeError("only a yes/no outcome is decided by a threshold")
    grid = threshold_grid(rows.at(bench.subject.threshold))
    names = {f"groups:{read.model}:{read.part}:{ground.name}:{one.group.levels}": one for one in members}
    series = {
        name: threshold_counts(one.rows.at(bench.subject.threshold), grid)
        for name, one in names.items()
        if isinstance(one.rows, Scored)
    }
    chart = GroupThresholds(
        title=f"{wording.capital(ground.name.replace('_', ' '))} along the threshold, {read.words}",
        attribute=ground.name,
        groups={name: one.group.levels for name, one in names.items()},
        reference=next((name for name, one in names.items() if one.reference is None), None),
        unrecorded=next((name for name, one in names.items() if not one.group.recorded), None),
        submitted=bench.subject.threshold,
        whose=bench.subject.whose_threshold,
        ratio=bench.plan.policy.group_ratio,
        difference=bench.plan.policy.group_difference,
    )
    return chart, series


def _table(draft: Draft, read: Audited, members: list[Member], whose: str) -> TableView:
    rows = []
    for one in members:
        about = read.about(one.group)
        places = [
            draft.add(name, one.rate(name), **about) for name in (_RATE, "true_positive_rate", "false_positive_rate")
        ]
        ratio = text("reference")
        if one.reference is not None:
            ratio = at(draft.add(_RATE, one.ratio(_RATE), comparison="ratio", versus=one.against.versus, **about))
        rows.append((text(one.group.levels), *(at(place) for place in places[:1]), ratio, *(at(p) for p in places[1:])))
    ground = wording.capital(members[0].group.attributes[0].replace("_", " "))
    return TableView(
        title=f"{ground} at the {whose} threshold, {read.words}",
        about=f"{ground} along the threshold, {read.words}",
        columns=("group", "selected", "ratio to others", "TPR", "FPR"),
        rows=tuple(rows),
    )


def _reach(
    bench: Bench, draft: Draft, chart: GroupThresholds, members: list[Member], series: dict[str, Series]
) -> list[tuple[float, list[str]]]:
    """For every group, how far off its ratio is at the submitted threshold, and at which thresholds it would keep the
    limit by value alone; by how far off it is."""
    found = []
    limit = bench.plan.policy.group_ratio
    grid = np.array(series[next(iter(chart.groups))]["threshold"], dtype=np.float64)
    for name, one in zip(chart.groups, members, strict=True):
        if one.reference is None:
            continue
        figure = one.ratio(_RATE)
        if figure.value is None or figure.few or figure.value <= 0:
            continue
        usual = _selected(_others(chart, series, name))
        with np.errstate(divide="ignore", invalid="ignore"):
            ratios = _selected(series[name]) / usual
        kept = grid[(ratios >= limit.low) & (ratios <= limit.high)]
        where = _where(kept, grid)
        found.append(
            (
                -abs(float(np.log(figure.value))),
                [
                    f"At the {chart.whose} threshold of {chart.submitted:g}, {one.words} are selected "
                    f"{wording.times(figure, draft.level)} as {one.against.words} (n {wording.count(figure.n)}), the "
                    "farthest from 1.",
                    f"By value alone this would keep {limit.words} {where}.",
                ],
            )
        )
    return found


def _others(chart: GroupThresholds, series: dict[str, Series], name: str) -> Series:
    """Counts along the threshold of those a group is set against: the reference, or everyone else who is recorded."""
    if chart.reference is not None:
        return series[chart.reference]
    others = [series[one] for one in chart.groups if one not in (name, chart.unrecorded)]
    counts = {cell: np.array([one[cell] for one in others], dtype=np.float64) for cell in ("tp", "fp", "fn", "tn")}
    return {cell: [float(one) for one in of_groups.sum(axis=0)] for cell, of_groups in counts.items()}


def _selected(counts: Series) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    tp, fp, fn, tn = (np.array(counts[name], dtype=np.float64) for name in ("tp", "fp", "fn", "tn"))
    return np.asarray((tp + fp) / (tp + fp + fn + tn), dtype=np.float64)


def _where(
    kept: np.ndarray[tuple[int], np.dtype[np.float64]], grid: np.ndarray[tuple[int], np.dtype[np.float64]]
) -> str:
    if not len(kept):
        return "at no threshold"
    if len(kept) == len(grid):
        return "at every threshold"
    first, last = np.searchsorted(grid, kept[0]), np.searchsorted(grid, kept[-1])
    whole = last - first + 1 == len(kept)
    if not whole:
        return f"at {len(kept)} of {len(grid)} thresholds between {kept[0]:.3g} and {kept[-1]:.3g}"
    return f"from {kept[0]:.3g} to {kept[-1]:.3g}" if first else f"up to {kept[-1]:.3g}"
