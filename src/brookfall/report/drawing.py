"""How the report draws: Matplotlib with the house's fonts, the colours that the pages use too, a figure as SVG text."""

import io

import matplotlib as mpl
from matplotlib import font_manager
from matplotlib.figure import Figure

from brookfall.report.fonts import chart_fonts
from brookfall.report.writing import Writing

mpl.use("svg")
for _font in chart_fonts():
    font_manager.fontManager.addfont(str(_font))
mpl.rcParams.update(
    {
        "svg.hashsalt": "brookfall",
        "svg.fonttype": "none",
        "font.family": ["Inter", "DejaVu Sans"] if chart_fonts() else ["DejaVu Sans"],
        "font.size": 8,
        "axes.edgecolor": "#51625F",
    }
)

INK, MUTED, RULE = "#17282B", "#51625F", "#DDD8CA"
_MODELS = (
    "#009E73", "#D55E00", "#0072B2", "#E69F00", "#CC79A7", "#56B4E9",
    "#8C6D1F", "#7A7A7A", "#5B3A8E", "#B02E2E", "#2E7F86", "#A8A028",
)  # fmt: skip
COLOURS = {
    **{f"model:{place}": shade for place, shade in enumerate(_MODELS)},
    "training": "#E69F00",
    "validation": "#56B4E9",
    "out_of_fold": "#0072B2",
    "test": "#009E73",
    "data": "#0072B2",
    "recipe": "#009E73",
    "artifact": "#CC79A7",
    "scores": "#CC79A7",
    "baseline": "#999999",
    "challenger": "#0072B2",
    "fold": "#0072B2",
    "group": "#CC79A7",
    "reference": "#56B4E9",
    "positive": "#D55E00",
    "negative": "#0072B2",
    "supplied:training": "#CC9A3A",
    "supplied:test": "#CC79A7",
    "supplied:all": "#CC79A7",
}
WIDTH = 6.6
"""Inches between the margins of a page."""


def svg_of(figure: Figure, writing: Writing) -> str:
    """The figure as SVG text, its ticks written so, without what would stand before it in a file of its own."""
    writing.mark_axes(figure)
    stream = io.StringIO()
    figure.savefig(stream, format="svg", metadata={"Date": None}, transparent=True)
    text = stream.getvalue()
    return text[text.index("<svg") :]
