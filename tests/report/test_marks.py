"""Figures composed of marks as the report draws them, and what can't be drawn."""

import re

import pytest
from pydantic import TypeAdapter, ValidationError

from brookfall.core.check.check import Draft
from brookfall.core.evidence.marks import (
    Axis,
    Band,
    Bars,
    Cells,
    LineThrough,
    Mark,
    MarksChart,
    Points,
    Rule,
    Text,
)
from brookfall.report.charts import draw
from tests.report.test_new_charts import exhibit

COLUMNS: dict[str, list[float | None]] = {
    "x": [0.0, 1.0, 2.0],
    "y": [0.2, 0.5, None],
    "low": [0.1, 0.4, None],
    "high": [0.3, 0.6, None],
    "value": [4.0, None, -2.0],
}


def chart(*marks: Mark, **axes: Axis) -> MarksChart:
    return MarksChart(
        title="Share turned", x=axes.get("x", Axis(label="decimals")), y=axes.get("y", Axis(label="share")), marks=marks
    )


def drawn(*marks: Mark, **axes: Axis) -> str:
    (svg,) = draw(exhibit(chart(*marks, **axes), turned=COLUMNS))
    return svg


def words_of(svg: str) -> list[str]:
    """The text that a reader sees, in the order of the file."""
    return re.findall(r"<text[^>]*>([^<]*)</text>", svg) + re.findall(r"<!-- (.*?) -->", svg)


def test_a_figure_has_its_title_and_the_names_of_its_axes() -> None:
    said = words_of(drawn(Points(series="turned")))
    assert {"Share turned", "decimals", "share"} <= set(said)


@pytest.mark.parametrize(
    "mark",
    [
        Points(series="turned", label="here"),
        Points(series="turned", low="low", high="high", label="here"),
        LineThrough(series="turned", label="here", dashed=True),
        Band(series="turned", label="here"),
        Bars(series="turned", label="here"),
        Rule(y=0.4, label="here"),
        Rule(x=1.0, label="here"),
    ],
)
def test_every_mark_with_a_label_says_it(mark: Mark) -> None:
    assert "here" in words_of(drawn(Points(series="turned"), mark))


def test_words_stand_in_the_figure() -> None:
    assert "none left" in words_of(drawn(Points(series="turned"), Text(x=1, y=0.3, words="none left")))


def test_whiskers_are_drawn_beside_their_points() -> None:
    bare = drawn(Points(series="turned"))
    whiskered = drawn(Points(series="turned", low="low", high="high"))
    assert whiskered.count("LineCollection") > bare.count("LineCollection")


def test_a_dashed_line_is_dashed() -> None:
    assert "stroke-dasharray" in drawn(LineThrough(series="turned", dashed=True))
    assert "stroke-dasharray" not in drawn(LineThrough(series="turned"))


def test_cells_say_their_values_and_a_gap_is_no_cell() -> None:
    categories = Axis(label="group", categories=("a", "b", "c"))
    said = words_of(drawn(Cells(series="turned", y="x"), x=categories, y=categories))
    assert {"a", "b", "c"} <= set(said)
    assert "nan" not in " ".join(said)
    assert "4.00" in said
    assert "−2.00" in said or "-2.00" in said


def test_the_same_figure_is_the_same_text() -> None:
    assert drawn(Bars(series="turned"), Rule(y=0.4)) == drawn(Bars(series="turned"), Rule(y=0.4))


@pytest.mark.parametrize("ends", [{}, {"x": 1.0, "y": 1.0}])
def test_a_rule_stands_at_one_place_of_one_axis(ends: dict[str, float]) -> None:
    with pytest.raises(ValidationError, match="give x or y"):
        Rule(**ends)


def test_a_mark_that_is_not_known_is_told_with_those_that_are() -> None:
    with pytest.raises(ValidationError, match="'points', 'line', 'band', 'bars', 'cells', 'text', 'rule'"):
        TypeAdapter(Mark).validate_python({"mark": "pie", "series": "turned"})


@pytest.mark.parametrize(
    ("mark", "said"),
    [
        (Points(series="elsewhere"), "name the series 'elsewhere', which is not there"),
        (Points(series="turned", low="least", high="high"), "has no column 'least'"),
        (Cells(series="turned", value="shade"), "has no column 'shade'"),
    ],
)
def test_a_figure_of_what_is_not_there_is_refused(mark: Mark, said: str) -> None:
    with pytest.raises(ValueError, match=f"Share turned: .*{said}"):
        Draft(0.95).write("It is so.", charts=(chart(mark),), series={"turned": COLUMNS})


def test_rules_and_words_need_no_series() -> None:
    written = Draft(0.95).write("It is so.", charts=(chart(Rule(x=1.0), Text(x=0, y=0, words="so")),))
    assert written.charts_in("made")[0].id == "made/marks/1"
