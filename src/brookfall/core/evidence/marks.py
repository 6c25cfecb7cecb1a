"""Marks of which any figure can be composed: points with whiskers, lines, bands, bars, cells, text, rules.

Every mark names a series of the exhibit and the columns that it draws, on the axes of its figure. Page and report have
one renderer of these each, so that a figure needs no code of its own there.
"""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field, model_validator

from brookfall.core.evidence.estimate import Frozen


class Axis(Frozen):
    """A scale: of numbers between ends (None: those of what is drawn), or of categories, at the places 0, 1, 2 …"""

    label: str
    low: float | None = None
    high: float | None = None
    categories: tuple[str, ...] = ()


class Points(Frozen):
    """Dots at ``x`` and ``y``; whiskers from ``low`` to ``high`` where these are named. ``label`` stands beside."""

    mark: Literal["points"] = "points"
    series: str
    x: str = "x"
    y: str = "y"
    low: str | None = None
    high: str | None = None
    label: str = ""
    colour: str = "recipe"


class LineThrough(Frozen):
    """A line through ``x`` and ``y``; ``low`` and ``high`` are ends that are read with it and not drawn."""

    mark: Literal["line"] = "line"
    series: str
    x: str = "x"
    y: str = "y"
    low: str | None = None
    high: str | None = None
    label: str = ""
    colour: str = "recipe"
    dashed: bool = False


class Band(Frozen):
    """The area between the columns ``low`` and ``high`` along ``x``."""

    mark: Literal["band"] = "band"
    series: str
    x: str = "x"
    low: str = "low"
    high: str = "high"
    label: str = ""
    colour: str = "recipe"


class Bars(Frozen):
    """Bars from 0 to ``y`` at ``x``."""

    mark: Literal["bars"] = "bars"
    series: str
    x: str = "x"
    y: str = "y"
    label: str = ""
    colour: str = "recipe"


class Cells(Frozen):
    """Squares at places ``x`` and ``y`` of two axes of categories, darker the larger ``value``, which stands inside."""

    mark: Literal["cells"] = "cells"
    series: str
    x: str = "x"
    y: str = "y"
    value: str = "value"


class Text(Frozen):
    mark: Literal["text"] = "text"
    x: float
    y: float
    words: str


class Rule(Frozen):
    """A straight line across, such as a limit: at a place of the horizontal axis, or of the vertical one."""

    mark: Literal["rule"] = "rule"
    x: float | None = None
    y: float | None = None
    label: str = ""

    @model_validator(mode="after")
    def _one_axis(self) -> "Rule":
        if (self.x is None) == (self.y is None):
            raise ValueError("a rule stands at one place of one axis: give x or y")
        return self


Mark = Annotated[Points | LineThrough | Band | Bars | Cells | Text | Rule, Field(discriminator="mark")]


class MarksChart(Frozen):
    """A figure composed of marks on two axes."""

    kind: Literal["marks"] = "marks"
    id: str = ""
    title: str
    x: Axis
    y: Axis
    marks: tuple[Mark, ...]

    def refuse_missing(self, series: Mapping[str, Mapping[str, object]]) -> None:
        """ValueError where a mark names a series or a column that is not there: it would be drawn as nothing."""
        for mark in self.marks:
            if isinstance(mark, Text | Rule):
                continue
            if mark.series not in series:
                raise ValueError(f"{self.title}: the {mark.mark} name the series {mark.series!r}, which is not there")
            columns = (getattr(mark, name, None) for name in ("x", "y", "low", "high", "value"))
            for column in columns:
                if column is not None and column not in series[mark.series]:
                    raise ValueError(f"{self.title}: the series {mark.series!r} has no column {column!r}")
