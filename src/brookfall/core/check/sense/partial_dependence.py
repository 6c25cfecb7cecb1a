"""Shape: how the prediction moves as one feature is moved, on average and for single rows."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.expected_signs import SIGNS
from brookfall.core.evidence.chart import Line, LineChart, TableView
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.probe.feature_grid import grid_of
from brookfall.core.fit.request import Need, Rows, ShapeReading
from brookfall.core.foundation import digest, wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure, Interval, normal_ends
from brookfall.core.table.table import Column

_ROWS, _CURVES, _DRAWN = 300, 20, 6


class Shape(Check):
    name = "shape"
    title = "Shape"
    question = 7
    source = (
        "Friedman 2001 (partial dependence); Goldstein, Kapelner, Bleich & Pitkin 2015 (individual curves; from "
        "memory)."
    )
    asks = True
    tiers = NOT_LIGHT
    reads = Reads(subject=("expectations",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Move one feature after another over its range, and see how the prediction moves, on average and row by "
            "row.",
            "limit: no direction contrary to what is expected",
        )

    def requests(self, bench: Bench) -> list[Need]:
        return [Need(bench.asked, ShapeReading(_rows(bench), _CURVES))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        read, rows = ledger.scores(self.requests(bench)[0]), _rows(bench)
        expected = {one.feature: one.sign for one in bench.subject.expectations}
        found = [
            _move(draft, bench, rows, feature, read[place], class_, expected.get(feature))
            for place, feature in enumerate(bench.asked_features)
            # Entries of free text have no order to move along; what its words weigh is among the coefficients.
            if bench.subject.table.column(feature).kind != "text"
            for class_ in range(read.shape[2])
        ]
        moves = sorted((move for move in found if move is not None), key=lambda move: -move.reach)
        charts: list[LineChart] = []
        series: dict[str, Series] = {}
        for number, move in enumerate(moves[:_DRAWN]):
            chart, drawn = _picture(bench, move, number, rows)
            charts.append(chart)
            series |= drawn
        n = wording.rows(len(rows))
        table = TableView(
            title=f"From each feature's lowest to its highest value, {n} {bench.asked_words} held at each",
            columns=(
                "feature",
                "lowest",
                "highest",
                "mean change from lowest to highest",
                "range of the mean",
                "expected",
            ),
            rows=tuple(
                (
                    text(move.words),
                    text(move.labels[0]),
                    text(move.labels[-1]),
                    at(move.rise),
                    text(wording.number(move.reach)),
                    text(move.expected or "–"),
                )
                for move in moves
            ),
        )
        strip = pictures.ranking(
            "Mean change of the prediction from a feature's lowest to its highest value",
            "Change of the mean prediction",
            [(move.words, move.rise, bench.asked_name) for move in moves],
        )
        return draft.write(
            _answer(bench, draft, moves),
            lines=bench.asked_lines,
            charts=(strip, *charts),
            series=series,
            tables=(table,),
        )


@dataclass(frozen=True)
class _Move:
    """How the prediction (of a class) moves along a feature's grid; ``read`` has shape (points, 2 + curves)."""

    words: str
    column: Column
    grid: NDArray[np.float64]
    read: NDArray[np.float64]
    labels: tuple[str, ...]
    rise: int
    reach: float
    expected: str | None


def _rows(bench: Bench) -> Rows:
    """At most 300 unseen rows, drawn by the plan's seed; in random order, so that the first few are a sample too."""
    return np.random.default_rng(digest.seed_from("shape", bench.plan.seed)).permutation(bench.all_asked)[:_ROWS]


def _move(
    draft: Draft, bench: Bench, rows: Rows, feature: str, read: NDArray[np.float64], class_: int, expected: str | None
) -> _Move | None:
    column = bench.subject.table.column(feature)
    grid = grid_of(column, rows)
    if len(grid) < 2:
        return None
    own = read[: len(grid), class_]
    several = read.shape[1] > 1
    classes = bench.subject.target.classes
    sign = expected if column.kind == "number" and not several else None
    rise, error = float(own[-1, 0] - own[0, 0]), float(own[-1, 1])
    figure = Figure(
        rise,
        len(rows),
        "paired_rows",
        Interval(normal_ends, rise, error) if np.isfinite(error) and error > 0 else None,
        None if np.isfinite(error) and error > 0 else "it is the same for every row",
    )
    place = draft.add(
        "shape_rise",
        figure,
        **bench.asked_as,
        feature=feature,
        class_=classes[class_] if several else None,
        limit=None if sign is None else SIGNS[sign],
    )
    words = f"{feature}, {classes[class_]}" if several else feature
    return _Move(words, column, grid, own, _labels(column, grid), place, float(np.ptp(own[:, 0])), sign)


def _labels(column: Column, grid: NDArray[np.float64]) -> tuple[str, ...]:
    if column.kind == "number":
        return tuple(f"{value:.6g}" for value in grid)
    return tuple(column.levels[int(code)] for code in grid)


def _picture(bench: Bench, move: _Move, number: int, rows: Rows) -> tuple[LineChart, dict[str, Series]]:
    places = move.grid if move.column.kind == "number" else np.arange(len(move.grid))
    series, lines = {}, []
    curves = move.read[:, 2:]
    for curve in range(curves.shape[1]):
        if np.isfinite(curves[:, curve]).all():
            name = f"shape:{number}:{curve}"
            series[name] = {"x": places.tolist(), "y": curves[:, curve].tolist()}
            lines.append(Line(series=name, label=f"row {rows[curve] + 1}", colour="baseline", faint=True))
    series[f"shape:{number}"] = {"x": places.tolist(), "y": move.read[:, 0].tolist()}
    lines.append(Line(series=f"shape:{number}", label="mean", colour="recipe"))
    outcome = "prediction" if bench.subject.outcome == "number" else "score"
    ticks = () if move.column.kind == "number" else move.labels
    chart = LineChart(title=wording.capital(move.words), x=move.column.name, y=outcome, lines=tuple(lines), ticks=ticks)
    return chart, series


def _answer(bench: Bench, draft: Draft, moves: list[_Move]) -> str:
    if not moves:
        return "No feature has two values among these rows, so nothing can be moved."
    first = moves[0]
    said = [
        f"The prediction moves most along {first.words}: its mean ranges over {wording.number(first.reach)} on "
        f"{wording.rows(draft.figure(first.rise).n)} {bench.asked_words}."
    ]
    asked = [move for move in moves if move.expected]
    contrary = [move.words for move in asked if draft.standing(move.rise) is Standing.OUTSIDE]
    if contrary:
        said.append(f"Along {wording.listed(contrary)} it moves the other way than expected.")
    elif asked:
        kept = [move.words for move in asked if draft.standing(move.rise) is Standing.WITHIN]
        said.append(
            f"Along {wording.listed(kept)} it moves as expected."
            if kept
            else "The expected directions stay open on these rows."
        )
    return " ".join(said)
