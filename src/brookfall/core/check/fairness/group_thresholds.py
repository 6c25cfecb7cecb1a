"""Threshold by group: every criterion along the threshold; a threshold a group can be looked at, never advised."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import Audited, Member, audited, members_of, refuse_unprotected
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.evidence.chart import GroupThresholds, TableView
from brookfall.core.evidence.estimate import Versus
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
            "harms",
            "bands",
            "merged",
            "policy.group_ratio",
            "policy.group_difference",
            "policy.grounds",
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
                tables.append(_table(draft, read, members))
                said.extend(_reach(bench, draft, read, chart, members, counted))
        said.sort(key=lambda pair: pair[0])
        answer = said[0][1] if said else "No group is large enough to follow along the threshold."
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
        reference=next(iter(names)),
        submitted=bench.subject.threshold,
        ratio=bench.plan.policy.group_ratio,
        difference=bench.plan.policy.group_difference,
    )
    return chart, series


def _table(draft: Draft, read: Audited, members: list[Member]) -> TableView:
    rows = []
    for one in members:
        about = read.about(one.group)
        places = [
            draft.add(name, one.rate(name), **about) for name in (_RATE, "true_positive_rate", "false_positive_rate")
        ]
        ratio = text("reference")
        if one.reference is not None:
            versus = Versus(group=one.against.group.label)
            ratio = at(draft.add(_RATE, one.ratio(_RATE), comparison="ratio", versus=versus, **about))
        rows.append((text(one.group.levels), *(at(place) for place in places[:1]), ratio, *(at(p) for p in places[1:])))
    ground = wording.capital(members[0].group.attributes[0].replace("_", " "))
    return TableView(
        title=f"{ground} at the submitted threshold, {read.words}",
        about=f"{ground} along the threshold, {read.words}",
        columns=("group", "selected", "ratio to reference", "TPR", "FPR"),
        rows=tuple(rows),
    )


def _reach(
    bench: Bench, draft: Draft, read: Audited, chart: GroupThresholds, members: list[Member], series: dict[str, Series]
) -> list[tuple[float, str]]:
    """For every group, how far off its ratio is at the submitted threshold, and at which thresholds it would keep the
    limit by value alone; by how far off it is."""
    found = []
    limit = bench.plan.policy.group_ratio
    names = list(chart.groups)
    usual = _selected(series[chart.reference])
    grid = np.array(series[chart.reference]["threshold"], dtype=np.float64)
    for name, one in zip(names[1:], members[1:], strict=True):
        figure = one.ratio(_RATE)
        if figure.value is None or figure.few or figure.value <= 0:
            continue
        with np.errstate(divide="ignore", invalid="ignore"):
            ratios = _selected(series[name]) / usual
        kept = grid[(ratios >= limit.low) & (ratios <= limit.high)]
        where = _where(kept, grid)
        found.append(
            (
                -abs(float(np.log(figure.value))),
                f"At the submitted threshold of {chart.submitted:g} the ratio of selection of {one.group.words} to "
                f"{one.against.group.words} is {wording.figure(figure, draft.level, 2)} ({read.words}), the farthest "
                f"from 1; by its value alone it would keep the limit ({limit.words}) {where}.",
            )
        )
    return found


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
