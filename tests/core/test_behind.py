"""From a cell or a bin to its rows: as many as the exhibit counted, with the scores that it was made of."""

import csv
import io
from collections.abc import Iterable

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.check.bench import OUT_OF_FOLD, Bench
from brookfall.core.evidence.chart import LineChart, MatrixChart, RowsOf, ThresholdChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.run import run_fits
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.scored import Scored
from brookfall.core.retest.rows_behind import Behind, Found, needs_behind, rows_behind, scored_of
from brookfall.core.retest.run import ask, evaluate, jobs_of
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.table import Column, Table
from brookfall.core.table.write import csv_of, harmless, parquet_of
from tests.conftest import files_of, small_plan
from tests.core import test_outcomes as made
from tests.made import examples

CHECKS = ("holdout", "cross_validation", "threshold")


def evidence(bench: Bench) -> tuple[MemoryLedger, dict[str, Exhibit]]:
    asked, ledger = ask(bench), MemoryLedger()
    for result in run_fits(jobs_of(asked), bench.subject):
        ledger.keep(result)
    return ledger, {one.check.name: evaluate(one, bench, ledger) for one in asked}


@pytest.fixture(scope="module")
def binary(bench: Bench) -> tuple[Bench, MemoryLedger, dict[str, Exhibit]]:
    chosen = Bench(bench.subject, bench.plan.model_copy(update={"checks": CHECKS}))
    return chosen, *evidence(chosen)


def matrices(exhibits: Iterable[Exhibit]) -> list[MatrixChart]:
    return [chart for one in exhibits for chart in one.charts if isinstance(chart, MatrixChart)]


def counted(bench: Bench, ledger: MemoryLedger, chart: MatrixChart) -> list[list[int]]:
    assert chart.rows is not None
    return [
        [
            len(
                rows_behind(
                    bench, ledger, Behind(**chart.rows.model_dump(exclude={"outcome"}), outcome=true, decided=said)
                ).positions
            )
            for said in chart.classes
        ]
        for true in chart.classes
    ]


def test_every_cell_of_every_matrix_has_its_rows(binary: tuple[Bench, MemoryLedger, dict[str, Exhibit]]) -> None:
    bench, ledger, exhibits = binary
    found = matrices(exhibits.values())
    assert len(found) == 2
    for chart in found:
        assert counted(bench, ledger, chart) == [list(row) for row in chart.cells]
        assert chart.baseline == bench.most_frequent


def test_every_bin_has_its_rows(binary: tuple[Bench, MemoryLedger, dict[str, Exhibit]]) -> None:
    bench, ledger, exhibits = binary
    lines = [
        (line, chart.title)
        for chart in exhibits["holdout"].charts
        if isinstance(chart, LineChart)
        for line in chart.lines
        if line.rows is not None
    ]
    assert {title for _, title in lines} == {"Calibration in ten bins", "Scores by outcome"}
    for line, _ in lines:
        series = exhibits["holdout"].series[line.series]
        for low, high, n in zip(series["from"], series["to"], series["n"], strict=True):
            if low is None:
                assert n == 0
                continue
            of = line.rows.model_dump() if line.rows else {}
            assert len(rows_behind(bench, ledger, Behind(**of, score_from=low, score_to=high)).positions) == n


def test_the_rows_at_another_threshold(binary: tuple[Bench, MemoryLedger, dict[str, Exhibit]]) -> None:
    bench, ledger, exhibits = binary
    (chart,) = (one for one in exhibits["threshold"].charts if isinstance(one, ThresholdChart))
    assert chart.rows is not None
    series = exhibits["threshold"].series[chart.series]
    for place in range(0, len(series["threshold"]), 23):
        at = chart.rows.model_copy(update={"threshold": series["threshold"][place]})
        missed = Behind(**at.model_dump(exclude={"outcome"}), outcome="positive", decided="negative")
        assert len(rows_behind(bench, ledger, missed).positions) == series["fn"][place]


def test_what_is_said_of_a_row_is_its_own_score(binary: tuple[Bench, MemoryLedger, dict[str, Exhibit]]) -> None:
    bench, ledger, _ = binary
    found = rows_behind(bench, ledger, Behind(model="recipe", part="test", outcome="yes"))
    whole = found.with_rows(bench.subject.table)
    assert whole.names == ("score", "decided", *bench.subject.table.names)
    assert set(whole.column("y").texts()) == {"yes"}
    scored = scored_of(bench, ledger, RowsOf(model="recipe", part="test")).scored
    assert isinstance(scored, Scored)
    assert whole.column("score").values.tolist() == scored.scores[scored.outcomes].tolist()
    decided = [score >= 0.5 for score in whole.column("score").values]
    assert whole.column("decided").texts() == ["yes" if one else "no" for one in decided]


def test_out_of_fold_rows_are_those_outside_test(binary: tuple[Bench, MemoryLedger, dict[str, Exhibit]]) -> None:
    bench, ledger, _ = binary
    found = rows_behind(bench, ledger, Behind(model="recipe", part=OUT_OF_FOLD))
    assert found.positions.tolist() == bench.split.cross_validated.tolist()
    assert len(needs_behind(bench, RowsOf(model="recipe", part=OUT_OF_FOLD))) == bench.plan.cross_validation.folds


def test_columns_of_the_same_name_stay_apart() -> None:
    table = Table((column_from_text("score", ["a", "b"]), column_from_text("score_", ["c", "d"])))
    said = (Column("score", "number", np.array([0.5])),)
    assert Found(np.array([1]), said).with_rows(table).names == ("score__", "score", "score_")


BAD = [
    (Behind(model="nobody", part="test"), "no model called nobody"),
    (Behind(model="scores", part="test"), "no model called scores"),
    (Behind(model="recipe", part="next year"), "Ask for out_of_fold or training or validation or test"),
    (Behind(model="recipe", part="test", outcome="maybe"), "Classes are no, yes"),
    (Behind(model="recipe", part="test", decided="maybe"), "Classes are no, yes"),
]


@pytest.mark.parametrize(("behind", "said"), BAD)
def test_what_is_not_there_is_told(
    binary: tuple[Bench, MemoryLedger, dict[str, Exhibit]], behind: Behind, said: str
) -> None:
    bench, ledger, _ = binary
    with pytest.raises(UserError) as caught:
        rows_behind(bench, ledger, behind)
    assert said in f"{caught.value} {caught.value.todo}"


def test_classes_and_their_scores() -> None:
    bench = Bench(made.subject("multiclass"), made.plan_for("multiclass", checks=["holdout"]))
    ledger, exhibits = evidence(bench)
    (chart,) = matrices(exhibits.values())
    assert counted(bench, ledger, chart) == [list(row) for row in chart.cells]
    found = rows_behind(bench, ledger, Behind(model="recipe", part="test"))
    each = [column for column in found.said if column.name.startswith("score of ")]
    assert len(each) == len(chart.classes)
    assert np.allclose(sum(column.values for column in each), 1)


def test_numbers_by_their_prediction() -> None:
    bench = Bench(made.subject("number"), made.plan_for("number", checks=["holdout"]))
    ledger, exhibits = evidence(bench)
    (chart,) = (c for c in exhibits["holdout"].charts if isinstance(c, LineChart) and c.title.startswith("Mean error"))
    line = chart.lines[-1]
    series = exhibits["holdout"].series[line.series]
    assert line.rows is not None
    for place, n in enumerate(series["n"]):
        ends = {"score_from": series["from"][place], "score_to": series["to"][place]}
        found = rows_behind(bench, ledger, Behind(**line.rows.model_dump(), **ends))
        assert len(found.positions) == n
        error = next(column for column in found.said if column.name == "error")
        assert float(np.mean(error.values)) == pytest.approx(series["y"][place], abs=1e-6)
    with pytest.raises(UserError, match="no class"):
        rows_behind(bench, ledger, Behind(model="recipe", part="test", outcome="1"))


def test_rows_behind_a_challenger_are_of_the_parts_it_was_fitted_for() -> None:
    bench = Bench(subject_of(package_from_files(files_of())), small_plan(checks=["challengers"]))
    ledger, _ = evidence(bench)
    found = rows_behind(bench, ledger, Behind(model="naive_bayes", part=OUT_OF_FOLD))
    assert found.positions.tolist() == bench.split.cross_validated.tolist()
    with pytest.raises(UserError, match="has not been fitted for the test rows"):
        rows_behind(bench, ledger, Behind(model="naive_bayes", part="test"))


# Files.

TEXTS = st.lists(st.one_of(st.none(), st.text(max_size=12)), min_size=1, max_size=30)


@examples(150)
@given(TEXTS)
def test_csv_gives_back_every_cell_and_no_formula(cells: list[str | None]) -> None:
    levels = tuple(sorted({cell for cell in cells if cell is not None}))
    codes = np.array([-1 if cell is None else levels.index(cell) for cell in cells], dtype=np.int32)
    column = Column("=name", "text", codes, levels)
    text = b"".join(csv_of(Table((column,)), np.arange(1, len(cells) + 1))).decode()
    rows = list(csv.reader(io.StringIO(text, newline="")))
    assert rows[0] == ["row", "'=name"]
    for place, (cell, read) in enumerate(zip(cells, rows[1:], strict=True), start=1):
        assert read[0] == str(place)
        # The csv module writes the three line ends apart; what stands in a cell comes back as it was.
        assert read[1] == ("" if cell is None else harmless(cell))
        assert not read[1].startswith(("=", "@", "\t", "\r"))


def test_numbers_stay_numbers_in_csv() -> None:
    column = Column("x", "number", np.array([-1.5, 0.1 + 0.2, np.nan, 1e-300]))
    text = b"".join(csv_of(Table((column,)))).decode().split("\r\n")
    assert text[1:5] == ["-1.5", "0.30000000000000004", '""', "1e-300"]


def test_many_rows_come_in_order() -> None:
    n = 12_345
    column = Column("x", "number", np.arange(n, dtype=np.float64))
    lines = b"".join(csv_of(Table((column,)), np.arange(n) + 1)).decode().split("\r\n")
    assert len(lines) == n + 2
    assert lines[n] == f"{n},{n - 1}"


def test_parquet_keeps_kinds_gaps_and_bits() -> None:
    number = Column("x", "number", np.array([0.1 + 0.2, np.nan, -0.0]))
    kind = Column("k", "category", np.array([1, -1, 0], dtype=np.int32), ("=a", "b"))
    read = pq.read_table(io.BytesIO(parquet_of(Table((number, kind)), np.array([3, 5, 9])))).to_pydict()
    assert read == {"row": [3, 5, 9], "x": [0.1 + 0.2, None, -0.0], "k": ["b", None, "=a"]}
