"""Dials, trees, suspects, marks and named places as the report draws them."""

import re

import pytest

from brookfall.core.evidence.chart import AxisMark, Chart, DialChart, Line, LineChart, SuspectList, TreeChart
from brookfall.core.evidence.exhibit import Exhibit, Provenance
from brookfall.report.charts import draw
from brookfall.report.trees import chart_of
from tests.report.test_trees import CHART, COLUMNS

FROM = Provenance(seed=1, rows="", fits=(), recipe=None, seconds=0, scheme="", source="")
DIAL: dict[str, list[float | None]] = {
    f"{criterion} {part}": list(values)
    for criterion in ("brier", "error_rate")
    for part, values in (
        ("training", [0.25, 0.2, 0.05]),
        ("unseen", [0.25, 0.22, 0.3]),
        ("low", [0.24, 0.2, 0.28]),
        ("high", [0.26, 0.24, None]),
    )
}
SUSPECTS: dict[str, list[float | None]] = {
    "row": [4.0, 11.0],
    "submitted": [5.0, 12.0],
    "label": [0.0, 1.0],
    "suggested": [1.0, 0.0],
    "probability": [0.93, 0.81],
    "margin": [0.9, 0.7],
}


def exhibit(chart: Chart, **series: dict[str, list[float | None]]) -> Exhibit:
    return Exhibit(
        number=4,
        check="made",
        title="Made",
        question=4,
        state="done",
        standing=None,
        answer="",
        charts=(chart,),
        series=series,
        provenance=FROM,
    )


def dial(tree: TreeChart | None = None, criteria: tuple[str, ...] = ("brier", "error_rate")) -> DialChart:
    return DialChart(
        title="Loss along pruning",
        setting="pruning",
        series="dial",
        criteria=criteria,
        points=("0.1", "0.01", "0"),
        submitted=2,
        best=1,
        simplest=1,
        tree=tree,
    )


@pytest.mark.parametrize("criteria", [("mse",), ("brier", "error_rate")])
def test_a_dial_has_an_axis_a_criterion(criteria: tuple[str, ...]) -> None:
    series = {name.replace("brier", "mse") if criteria == ("mse",) else name: values for name, values in DIAL.items()}
    (drawn,) = draw(exhibit(dial(criteria=criteria), dial=series))
    assert drawn.startswith("<svg")
    assert drawn.count('id="axes_') == len(criteria)


def test_a_tree_is_told_and_drawn() -> None:
    (drawn,) = draw(exhibit(CHART, **{"tree:1": COLUMNS}))
    assert drawn.startswith("<p>The tree, to a depth of 3.")
    assert "<svg" in drawn


def test_one_of_many_trees_is_called_the_first() -> None:
    forest = CHART.model_copy(update={"one_of": 60, "title": "Any one of 60 trees"})
    (drawn,) = draw(exhibit(forest, **{"tree:1": COLUMNS}))
    assert drawn.startswith("<p>The first of 60 trees, to a depth of 3.")


def test_suspects_are_listed_by_row_label_and_suggestion() -> None:
    chart = SuspectList(title="Suspects", series="suspects", classes=("a<b", "c"), part="out_of_fold", found=40)
    (drawn,) = draw(exhibit(chart, suspects=SUSPECTS))
    assert "Suspects: 2 of 40" in drawn
    assert re.findall(r"<td>(.*?)</td>", drawn) == ["5", "a&lt;b", "c", "0.930", "12", "c", "a&lt;b", "0.810"]


def test_suspects_of_a_number_show_numbers() -> None:
    chart = SuspectList(title="Suspects", series="suspects", part="out_of_fold", found=2)
    (drawn,) = draw(exhibit(chart, suspects={**SUSPECTS, "label": [12.5, None], "suggested": [3.25, 7.0]}))
    assert "<th>z score</th>" in drawn
    assert "<td>12.5</td><td>3.25</td>" in drawn
    assert "<td>–</td>" in drawn


def test_marks_and_named_places_stand_on_a_line_chart() -> None:
    series: dict[str, list[float | None]] = {"x": [0.0, 1.0, 2.0], "y": [0.1, 0.4, 0.2]}
    plain = LineChart(title="Shape", x="colour", y="score", lines=(Line(series="a", label="mean", colour="recipe"),))
    named = plain.model_copy(update={"ticks": ("red", "green", "blue"), "marks": (AxisMark(x=1.0, label="observed"),)})
    before, after = (draw(exhibit(chart, a=series))[0] for chart in (plain, named))
    for words in ("red", "green", "blue", "observed"):
        assert f">{words}</text>" in after
        assert f">{words}</text>" not in before
    faint = plain.model_copy(
        update={"lines": (*plain.lines, Line(series="a", label="row 3", colour="baseline", faint=True))}
    )
    assert draw(exhibit(faint, a=series))[0].count("stroke-opacity") > before.count("stroke-opacity")


def test_the_tree_of_an_exhibit_is_found_in_its_dial_too() -> None:
    assert chart_of(exhibit(CHART)) == CHART
    assert chart_of(exhibit(dial(CHART))) == CHART
    with pytest.raises(KeyError, match="no tree"):
        chart_of(exhibit(dial()))
