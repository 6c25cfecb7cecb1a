"""The report's charts come from the exhibit's own data, the same every time, and nothing hostile gets through."""

from xml.etree import ElementTree

import pytest

from brookfall.core.bench import Bench
from brookfall.core.exhibit import Exhibit, MatrixChart
from brookfall.core.retest import retest
from brookfall.report.charts import draw
from brookfall.report.fonts import chart_fonts, face_css


@pytest.fixture(scope="module")
def exhibits(bench: Bench) -> tuple[Exhibit, ...]:
    return retest(bench)


def test_every_chart_is_drawn_and_well_formed(exhibits: tuple[Exhibit, ...]) -> None:
    for exhibit in exhibits:
        drawn = draw(exhibit)
        assert len(drawn) == len(exhibit.charts)
        for text in drawn:
            assert ElementTree.fromstring(text).tag.rpartition("}")[2] in ("svg", "table")


def test_charts_are_the_same_every_time(exhibits: tuple[Exhibit, ...]) -> None:
    for exhibit in exhibits:
        assert draw(exhibit) == draw(exhibit)


def test_a_hostile_value_is_shown_as_text(exhibits: tuple[Exhibit, ...]) -> None:
    chart = MatrixChart(title="<script>alert(1)</script>", classes=("no", "<b>yes</b>"), cells=((1, 2), (3, 4)))
    (drawn,) = draw(exhibits[0].model_copy(update={"charts": (chart,)}))
    assert "<script>" not in drawn
    assert "&lt;b&gt;yes" in drawn


def test_the_fonts_are_inside() -> None:
    assert face_css().count("data:font/woff2;base64,") == 4
    assert [path.name for path in chart_fonts()] == ["Inter.ttf"]
