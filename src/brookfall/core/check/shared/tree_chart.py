"""A fitted tree in words: what its nodes split on, who is in them, what each split gains."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import scipy

from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.design_matrix import prepared_of
from brookfall.core.evidence.chart import TreeChart, TreeColumn
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.probe.prepared_columns import sources
from brookfall.core.fit.probe.trees import Nodes, kinds_of, read_trees
from brookfall.core.fit.request import AnyFit, FitRequest, Need, Rows, TreesReading
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.association import associate
from brookfall.core.measure.competing_splits import NodeRows, competing_splits
from brookfall.core.measure.curves import Series
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.scored import Numbers
from brookfall.core.recipe.preprocess import Prepared, raw_matrix

MOST_NODES = 20_000
PROTECTED = "protected"
"""What a column is marked with that is protected itself."""
STRONG = 0.5
"""From this association on, a feature is called a strong stand-in for what is protected (common practice)."""


def trees_need(bench: Bench, fit: AnyFit) -> Need:
    return Need(fit, TreesReading(bench.split.unseen, MOST_NODES))


def tree_chart(
    bench: Bench,
    ledger: Ledger,
    need: Need,
    title: str,
    marks: Mapping[str, str],
    one_of: int | None = None,
    of: str | None = None,
) -> tuple[TreeChart, dict[str, Series]]:
    """The trees of a reading with their series, one a tree; ``marks`` are what ``marked`` gave. ``of`` names the number
    that they learned, where it is not the outcome."""
    found = read_trees(ledger.scores(need))
    prepared, _ = prepared_of(bench, need.fit)
    names = tuple(f"tree:{number + 1}" for number in range(len(found)))
    target = bench.subject.target
    kind = target.outcome if of is None else "number"
    chart = TreeChart(
        title=title,
        trees=names,
        columns=_columns(bench, need.fit, prepared, marks),
        outcome=of or (target.positive if kind == "binary" else bench.subject.roles.target),
        classes=() if kind == "number" else target.classes,
        one_of=len(found) if one_of is None else one_of,
    )
    return chart, {
        name: series_of(nodes, prepared, kind, bench.plan.policy.level)
        for name, nodes in zip(names, found, strict=True)
    }


MOST_COMPETED = 127
"""Nodes whose other splits are looked for: those with the most training rows."""


def competing_series(bench: Bench, ledger: Ledger, need: Need) -> Series:
    """The best other splits at the nodes of the first tree, from the rows that reach each; see ``TreeChart``."""
    nodes, (prepared, training) = read_trees(ledger.scores(need))[0], prepared_of(bench, need.fit)
    unseen = prepared.transform(raw_matrix(bench.subject.table.select(need.fit.features), need.reading.rows))
    target = bench.subject.target
    sides = []
    for design, rows in ((training, need.fit.train), (unseen, need.reading.rows)):
        sides.append((design, kinds_of(target, rows), _reaching(nodes, design)))
    inner = np.flatnonzero(nodes.left >= 0)
    counts = nodes.training[:, 0] if target.outcome == "number" else nodes.training.sum(axis=1)
    largest = inner[np.argsort(-counts[inner], kind="stable")[:MOST_COMPETED]]
    names = ("node", "column", "threshold", "gain", "unseen_gain", "log_p", "corrected")
    lines: list[tuple[float, ...]] = []
    for node in sorted(largest.tolist()):
        at = [NodeRows(design[where[node]], kinds[where[node]], len(design)) for design, kinds, where in sides]
        lines += [
            (node, one.column, one.threshold, one.gain, one.unseen_gain, one.log_p, one.corrected)
            for one in competing_splits(*at, number=target.outcome == "number")
        ]
    found = np.array(lines).reshape(-1, len(names))
    columns = found[:, 1].astype(np.int64)
    found[:, 2] = in_own_unit(found[:, 2], columns, prepared)
    return {name: _written(found[:, place]) for place, name in enumerate(names)}


def _reaching(nodes: Nodes, design: Numbers) -> dict[int, Rows]:
    """The rows that reach each node that splits."""
    found: dict[int, Rows] = {}
    waiting: list[tuple[int, Rows]] = [(0, np.arange(len(design)))]
    while waiting:
        node, rows = waiting.pop()
        if nodes.left[node] < 0:
            continue
        found[node] = rows
        # Plain trees compare in single precision, as they were grown.
        left = design[rows, nodes.column[node]].astype(np.float32) <= nodes.threshold[node]
        waiting += [(int(nodes.left[node]), rows[left]), (int(nodes.right[node]), rows[~left])]
    return found


def path_of(bench: Bench, ledger: Ledger, need: Need, tree: int, row: int) -> list[int]:
    """The nodes that a row of the table passes in a tree of a reading, from the root to its leaf.

    UserError where there is no such tree or row.
    """
    found = read_trees(ledger.scores(need))
    table = bench.subject.table
    if not (0 <= tree < len(found) and 0 <= row < table.n_rows):
        raise UserError("There is no such tree or row.", todo=f"Rows are numbered from 1 to {table.n_rows}.")
    nodes, (prepared, _) = found[tree], prepared_of(bench, need.fit)
    values = prepared.transform(raw_matrix(table.select(need.fit.features), np.array([row])))[0]
    path = [0]
    while nodes.left[path[-1]] >= 0:
        at = path[-1]
        path.append(int((nodes.left if values[nodes.column[at]] <= nodes.threshold[at] else nodes.right)[at]))
    return path


def _columns(bench: Bench, fit: AnyFit, prepared: Prepared, marks: Mapping[str, str]) -> tuple[TreeColumn, ...]:
    """Every prepared column in words, marked where it is protected or stands in for what is."""
    features = bench.subject.table.select(fit.features)
    encode = fit.recipe.preprocess.encode if isinstance(fit, FitRequest) else "onehot"
    found = []
    for words, source in zip(prepared.names(features), sources(prepared, features.names), strict=True):
        column = features.columns[source]
        if (" = " in words and words != column.name) or words.endswith(" is missing"):
            kind = "level"
        elif column.kind in ("number", "text"):
            # The weight of a word is a number too.
            kind = "number"
        else:
            kind = "code" if encode != "target" else "encoded"
        found.append(
            TreeColumn.model_validate(
                {
                    "words": words,
                    "feature": column.name,
                    "kind": kind,
                    "levels": column.levels if kind == "code" else (),
                    "mark": marks.get(column.name),
                }
            )
        )
    return tuple(found)


def marked(bench: Bench) -> dict[str, str]:
    """Features to look at twice, with the reason: protected ones, and those strongly associated with one that is."""
    subject = bench.subject
    table, rows = subject.table, subject.rows
    found = {}
    for name in subject.features:
        if name in subject.roles.protected:
            found[name] = PROTECTED
            continue
        own = table.column(name).take(rows)
        pairs = [
            (attribute, associate(own, table.column(attribute).take(rows)))
            for attribute in subject.roles.protected
            if attribute in table.names
        ]
        known = [(attribute, one.figure.value) for attribute, one in pairs if one.figure.value is not None]
        if known:
            attribute, value = max(known, key=lambda pair: abs(pair[1]))
            if abs(value) >= STRONG:
                found[name] = f"stands in for {attribute.replace('_', ' ')} ({value:.2f})"
    return found


def which_is(name: str, marks: Mapping[str, str]) -> str:
    """A marked feature with its reason, as a clause.

    >>> which_is("district", {"district": "stands in for age (0.53)"}), which_is("sex", {"sex": PROTECTED})
    ("'district', which stands in for age (0.53)", "'sex', which is protected")
    """
    return f"'{name}', which {'is ' if marks[name] == PROTECTED else ''}{marks[name]}"


def series_of(nodes: Nodes, prepared: Prepared, outcome: str, level: float) -> Series:
    """A row for every node: see ``TreeChart``."""
    seen, unseen = _side(nodes.training, outcome, level), _side(nodes.unseen, outcome, level)
    return {
        "left": _written(nodes.left),
        "right": _written(nodes.right),
        "column": _written(nodes.column),
        "threshold": _written(in_own_unit(nodes.threshold, nodes.column, prepared)),
        "strength": _written(nodes.strength),
        "training": _written(seen.rows),
        "unseen": _written(unseen.rows),
        "share": _written(seen.share),
        "low": _written(seen.low),
        "high": _written(seen.high),
        "unseen_share": _written(unseen.share),
        "unseen_low": _written(unseen.low),
        "unseen_high": _written(unseen.high),
        "gain": _written(_gains(nodes, nodes.training, outcome)),
        "unseen_gain": _written(_gains(nodes, nodes.unseen, outcome)),
        "answer": _written(seen.answer),
    }


def _written(values: np.ndarray[tuple[int], np.dtype[np.generic]]) -> list[float | None]:
    # Six digits: no one reads more of a node.
    found = np.array([float(f"{value:.6g}") for value in values.astype(np.float64)])
    return [float(value) if known else None for value, known in zip(found, np.isfinite(found), strict=True)]


@dataclass(frozen=True)
class _Side:
    """Rows, the drawn share (or mean) with its interval, and the most frequent outcome; shape (nodes,)."""

    rows: Numbers
    share: Numbers
    low: Numbers
    high: Numbers
    answer: Numbers


def _side(counts: Numbers, outcome: str, level: float) -> _Side:
    with np.errstate(invalid="ignore", divide="ignore"):
        if outcome == "number":
            rows, mean = counts[:, 0], counts[:, 1] / counts[:, 0]
            spread = np.maximum(counts[:, 2] / rows - mean**2, 0) * rows / (rows - 1)
            half = scipy.special.stdtrit(np.maximum(rows - 1, 1), (1 + level) / 2) * np.sqrt(spread / rows)
            return _Side(rows, mean, mean - half, mean + half, np.full(len(rows), np.nan))
        rows = counts.sum(axis=1)
        # Of several classes the share that is drawn is that of the node's own answer.
        hits = counts[:, 1] if outcome == "binary" else counts.max(axis=1)
        share = hits / rows
    ends = np.array([wilson(x, n, level) if n else (np.nan, np.nan) for x, n in zip(hits, rows, strict=True)])
    return _Side(rows, share, ends[:, 0], ends[:, 1], counts.argmax(axis=1).astype(np.float64))


def _gains(nodes: Nodes, counts: Numbers, outcome: str) -> Numbers:
    """What each split takes off the mean squared error (of shares: Gini), over all rows; NaN in leaves."""
    rows, impurity = _impurity(counts, outcome)
    found = np.full(len(counts), np.nan)
    inner = nodes.left >= 0
    left, right = nodes.left[inner], nodes.right[inner]
    total = max(float(rows[0]), 1.0)
    found[inner] = (rows[inner] * impurity[inner] - rows[left] * impurity[left] - rows[right] * impurity[right]) / total
    return found


def _impurity(counts: Numbers, outcome: str) -> tuple[Numbers, Numbers]:
    if outcome == "number":
        rows = counts[:, 0]
        safe = np.maximum(rows, 1)
        return rows, np.maximum(counts[:, 2] / safe - (counts[:, 1] / safe) ** 2, 0)
    rows = counts.sum(axis=1)
    shares = counts / np.maximum(rows, 1)[:, None]
    return rows, np.where(rows > 0, 1 - (shares**2).sum(axis=1), 0.0)


def in_own_unit(thresholds: Numbers, columns: Rows, prepared: Prepared) -> Numbers:
    """Thresholds of prepared columns in the data's own unit: numbers that were scaled are scaled back."""
    if prepared.steps is None or "numbers" not in prepared.steps.named_transformers_:
        return thresholds
    steps = prepared.steps.named_transformers_["numbers"]
    scaler = getattr(steps, "steps", [("", None)])[-1][1]
    if not hasattr(scaler, "inverse_transform") or not hasattr(scaler, "n_features_in_"):
        return thresholds
    place = prepared.steps.output_indices_["numbers"]
    found = thresholds.copy()
    mine = np.flatnonzero((columns >= place.start) & (columns < place.stop))
    if not len(mine) or not hasattr(scaler, "scale_"):
        return found
    rows = np.zeros((len(mine), scaler.n_features_in_))
    here = columns[mine] - place.start
    rows[np.arange(len(mine)), here] = thresholds[mine]
    found[mine] = scaler.inverse_transform(rows)[np.arange(len(mine)), here]
    return found
