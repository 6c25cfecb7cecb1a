"""Trees: the fitted tree itself, node by node, in training and on unseen rows."""

from collections.abc import Mapping

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared.tree_chart import competing_series, marked, tree_chart, trees_need, which_is
from brookfall.core.evidence.chart import TableView, TreeChart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, SplitsReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import proportion
from brookfall.core.recipe.families import family_of, resolved_settings

_FEW_A_LEAF = 5
_COUNTED = "counted, not estimated"
_COMPETING = "competing:1"


class Trees(Check):
    name = "trees"
    title = "Trees"
    question = 4
    source = (
        "Breiman, Friedman, Olshen & Stone 1984 (pruning); Wilson 1927 for the shares of a node; Kass 1980 (p over its "
        "cuts)."
    )
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Draw the fitted tree, or any one of several, with training and unseen rows in every node.")

    def requests(self, bench: Bench) -> list[Need]:
        if family_of(bench.recipe).trees is None:
            raise UserError(
                f"{wording.capital(family_of(bench.recipe).words)} has no trees.", todo="Nothing is missing."
            )
        fit = bench.submitted.holdout_fit
        return [trees_need(bench, fit), Need(fit, SplitsReading(fit.train))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        needs = self.requests(bench)
        one_of = trees_of(bench)
        title = "The tree" if one_of == 1 else f"Any one of {one_of} trees"
        marks = marked(bench)
        chart, series = tree_chart(bench, ledger, needs[0], title, marks, one_of)
        first = series[chart.trees[0]]
        if one_of == 1:
            series[_COMPETING] = competing_series(bench, ledger, needs[0])
            chart = chart.model_copy(update={"competing": _COMPETING})
        anatomy = _anatomy(draft, first, bench)
        splits = ledger.scores(needs[1])
        return draft.write(
            _answer(bench, draft, chart, first, anatomy, splits, marks),
            charts=(chart,),
            series=series,
            tables=(
                _anatomy_table(anatomy, one_of),
                *(() if chart.competing is None else (_root_table(draft, bench, chart, series[_COMPETING]),)),
                _splits_table(draft, bench, splits, marks),
            ),
        )


def trees_of(bench: Bench) -> int:
    """How many trees the recipe grows: one a class and round where several classes are boosted."""
    settings = resolved_settings(bench.recipe).model_dump()
    rounds = int(settings.get("trees", 1))
    several = bench.subject.outcome == "multiclass" and bench.recipe.family in ("gradient_boosting", "lightgbm")
    return rounds * len(bench.subject.target.classes) if several else rounds


def _anatomy(draft: Draft, tree: Series, bench: Bench) -> dict[str, int]:
    """Nodes, leaves, depth, rows a leaf, and the leaves that unseen rows never reach."""
    left = np.array(tree["left"], dtype=np.float64)
    leaf = left < 0
    rows = np.array(tree["training"], dtype=np.float64)[leaf]
    unseen = np.array(tree["unseen"], dtype=np.float64)[leaf]
    trained, n = len(bench.split.parts["training"]), len(bench.split.unseen)

    def counted(name: str, value: float, of: int) -> int:
        return draft.add(name, Figure(float(value), of, note=_COUNTED), part="training")

    small = int(rows[rows < _FEW_A_LEAF].sum())
    return {
        "nodes": counted("nodes", len(left), trained),
        "leaves": counted("leaves", int(leaf.sum()), trained),
        "depth": counted("depth", _depth(tree), trained),
        "median rows a leaf": counted("rows_per_leaf", float(np.median(rows)), trained),
        "rows of the smallest leaf": counted("fewest_rows_per_leaf", float(rows.min()), trained),
        f"share of training rows in leaves of under {_FEW_A_LEAF}": draft.add(
            "share_in_small_leaves", proportion(small, trained), part="training"
        ),
        "leaves that no unseen row reaches": counted("leaves_unreached", int((unseen == 0).sum()), n),
    }


def _depth(tree: Series) -> int:
    """The most splits from the root to a leaf."""
    left, right = (np.array(tree[name], dtype=np.int64) for name in ("left", "right"))
    level, depth = np.array([0]), 0
    while True:
        inner = level[left[level] >= 0]
        if not len(inner):
            return depth
        level, depth = np.concatenate([left[inner], right[inner]]), depth + 1


def _anatomy_table(anatomy: dict[str, int], one_of: int) -> TableView:
    return TableView(
        title="Anatomy" if one_of == 1 else "Anatomy of the first tree",
        columns=("", "count"),
        rows=tuple((text(words), at(place)) for words, place in anatomy.items()),
    )


def _root_table(draft: Draft, bench: Bench, chart: TreeChart, competing: Series) -> TableView:
    """What else the root could have split on; at every other node the drawing says it."""
    trained, n = len(bench.split.parts["training"]), len(bench.split.unseen)
    held = {name: np.array(values, dtype=np.float64) for name, values in competing.items()}
    rows = []
    for place in np.flatnonzero(held["node"] == 0):
        column, cut = chart.columns[int(held["column"][place])], float(held["threshold"][place])
        words = f"{column.words} at {cut:.6g}" if column.kind == "number" else column.words
        gains = [
            at(draft.add(name, Figure(float(held[key][place]), of, note=_COUNTED), feature=words))
            for name, key, of in (("split_gain", "gain", trained), ("unseen_split_gain", "unseen_gain", n))
        ]
        # A number that a split tells without a remainder has no p to write.
        logs = (
            text(f"{value:.1f}" if np.isfinite(value := held[key][place]) else "∞") for key in ("log_p", "corrected")
        )
        rows.append((text(words), *gains, *logs))
    return TableView(
        title="What else the first split could have been: gain on training and on unseen rows, −log10 p of "
        f"{'F' if bench.subject.outcome == 'number' else 'chi-square'}, and after Bonferroni over the column's cuts",
        columns=("split", "gain, training", "gain, unseen", "−log10 p", "corrected"),
        rows=tuple(rows),
    )


def _splits_table(
    draft: Draft, bench: Bench, splits: np.ndarray[tuple[int, int], np.dtype[np.float64]], marks: Mapping[str, str]
) -> TableView:
    trained = len(bench.split.parts["training"])
    order = np.argsort(-splits[:, 0], kind="stable")
    has_own = bool(np.isfinite(splits[:, 1]).any())
    rows = []
    for place in order:
        name = bench.subject.features[place]
        cells = [at(draft.add("splits", Figure(float(splits[place, 0]), trained, note=_COUNTED), feature=name))]
        if has_own:
            own = Figure(float(splits[place, 1]), trained, note="the family's own, read off its training rows")
            cells.append(at(draft.add("own_importance", own, feature=name)))
        rows.append((text(name), *cells, text(marks.get(name, "–"))))
    columns = ("feature", "splits", *(("own importance",) if has_own else ()), "look twice")
    return TableView(title="How often each feature splits, over all trees", columns=columns, rows=tuple(rows))


def _answer(
    bench: Bench,
    draft: Draft,
    chart: TreeChart,
    first: Series,
    anatomy: dict[str, int],
    splits: np.ndarray[tuple[int, int], np.dtype[np.float64]],
    marks: Mapping[str, str],
) -> list[str]:
    leaves, depth = (int(draft.figure(anatomy[name]).value or 0) for name in ("leaves", "depth"))
    rows = draft.figure(anatomy["median rows a leaf"]).value
    lead = "The tree has" if chart.one_of == 1 else f"The first of {wording.count(chart.one_of)} trees has"
    said = [
        f"{lead} {wording.count(leaves)} leaves {wording.count(depth)} splits deep, with a median of {rows:g} training "
        f"row{'' if rows == 1 else 's'} in each."
    ]
    if chart.one_of == 1:
        said.append(_gained(first))
    used = [
        name for name, count in zip(bench.subject.features, splits[:, 0], strict=True) if count > 0 and name in marks
    ]
    total = float(splits[:, 0].sum())
    if used and total:
        share = sum(float(splits[bench.subject.features.index(name), 0]) for name in used) / total
        told = [which_is(name, marks) for name in used]
        said.append(wording.line_of(f"{wording.percent(share)} of its splits are on what the audit is about", told))
    elif bench.subject.roles.protected:
        said.append("None of its splits is on what is protected, or on a strong stand-in for it.")
    if len(chart.trees) < chart.one_of:
        said.append(
            f"The first {len(chart.trees)} of them can be looked at; the others hold more nodes than can be kept."
        )
    return said


def _gained(tree: Series) -> str:
    """How many splits gain nothing on unseen rows."""
    gains = np.array([np.nan if value is None else value for value in tree["unseen_gain"]])
    inner = np.isfinite(gains)
    if not inner.any():
        return "It does not split."
    splits, idle = int(inner.sum()), int((gains[inner] <= 0).sum())
    if splits == 1:
        return f"Its one split gains {'nothing on unseen rows' if idle else 'on unseen rows too'}."
    if not idle:
        return f"Each of its {wording.count(splits)} splits gains on unseen rows too."
    gain = "gains" if idle == 1 else "gain"
    return f"Of its {wording.count(splits)} splits {wording.count(idle)} {gain} nothing on unseen rows."
