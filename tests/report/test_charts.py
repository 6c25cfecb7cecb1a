"""The report's charts come from the exhibit's own data, the same every time, and nothing hostile gets through."""

import re
from pathlib import Path
from xml.etree import ElementTree

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.chart import MatrixChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.retest.run import retest
from brookfall.report.charts import draw
from brookfall.report.drawing import COLOURS
from brookfall.report.fonts import chart_fonts, face_css


@pytest.fixture(scope="module")
def exhibits(bench: Bench) -> tuple[Exhibit, ...]:
    return retest(bench)


def test_every_chart_is_drawn_and_well_formed(exhibits: tuple[Exhibit, ...]) -> None:
    for exhibit in exhibits:
        drawn = draw(exhibit)
        curves = sum(len(chart.curves) for chart in exhibit.charts if chart.kind == "ground")
        assert len(drawn) == len(exhibit.charts) + curves
        for text in drawn:
            pieces = ElementTree.fromstring(f"<div>{text}</div>")
            assert {piece.tag.rpartition("}")[2] for piece in pieces} <= {"svg", "table", "p"}


def test_charts_are_the_same_every_time(exhibits: tuple[Exhibit, ...]) -> None:
    for exhibit in exhibits:
        assert draw(exhibit) == draw(exhibit)


def test_a_hostile_value_is_shown_as_text(exhibits: tuple[Exhibit, ...]) -> None:
    chart = MatrixChart(title="<script>alert(1)</script>", classes=("no", "<b>yes</b>"), cells=((1, 2), (3, 4)))
    (drawn,) = draw(exhibits[0].model_copy(update={"charts": (chart,)}))
    assert "<script>" not in drawn
    assert "&lt;b&gt;yes" in drawn


def test_the_fonts_are_inside() -> None:
    assert face_css("it holds").count("data:font/woff2;base64,") == 2
    assert face_css("α, ř").count("data:font/woff2;base64,") == 6
    assert [path.name for path in chart_fonts()] == ["Inter.ttf"]


def test_the_report_and_the_pages_colour_alike() -> None:
    page = (Path(__file__).resolve().parents[2] / "web" / "src" / "charts" / "palette.ts").read_text(encoding="utf-8")
    models = re.search(r"const MODELS = \[(.*?)\]", page, re.DOTALL)
    named = re.search(r"const COLOURS[^{]*\{(.*?)\n\}", page, re.DOTALL)
    assert models
    assert named
    shades = dict(re.findall(r'^\s*"?([\w:]+)"?: "(#[0-9A-F]{6})"', named[1], re.MULTILINE))
    shades |= {f"model:{place}": shade for place, shade in enumerate(re.findall("#[0-9A-F]{6}", models[1]))}
    assert {name: COLOURS.get(name) for name in shades} == shades
