"""The numbered result of a check, as data: answer, estimates, charts, tables, provenance."""

from typing import Literal

from pydantic import Field

from brookfall.core.evidence.chart import Chart, TableView
from brookfall.core.evidence.estimate import Estimate, Frozen
from brookfall.core.evidence.limit import Standing

State = Literal["done", "failed", "cancelled", "stale", "not_applicable"]


class Provenance(Frozen):
    """What an exhibit rests on; with the package it is enough to compute it again.

    ``fit_seconds`` are what a fit took on average, by model, where models are set side by side. ``remarks`` are what
    fits warned of, such as that they did not converge. ``sources`` names the check, the measures and the families that
    were used, and ``program`` is the digest of their sources.
    """

    seed: int
    rows: str
    fits: tuple[str, ...]
    recipe: dict[str, object] | None
    seconds: float
    fit_seconds: dict[str, float] = Field(default_factory=dict)
    scheme: str
    source: str
    remarks: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    program: str = ""


class Exhibit(Frozen):
    """The numbered result of a check.

    ``lines`` are what stands below the answer: reservations, what else is beyond, what would settle it. ``open`` counts
    the leading estimates that these rows can't settle.
    """

    number: int
    check: str
    title: str
    question: int
    state: State
    standing: Standing | None
    answer: str
    lines: tuple[str, ...] = ()
    open: int = 0
    estimates: tuple[Estimate, ...] = ()
    charts: tuple[Chart, ...] = ()
    series: dict[str, dict[str, list[float | None]]] = Field(default_factory=dict)
    tables: tuple[TableView, ...] = ()
    provenance: Provenance
