"""What a check is, and the draft on which it writes its exhibit."""

import inspect
import sys
from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import ClassVar

from pydantic import JsonValue

from brookfall.core.check.bench import Bench
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence
from brookfall.core.evidence.chart import Cell, Chart, TableView
from brookfall.core.evidence.estimate import Comparison, Estimate, Labels, Verdict, Versus
from brookfall.core.evidence.exhibit import Exhibit, Provenance, State
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.evidence.marks import MarksChart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import digest, wording
from brookfall.core.judge.standing import read_from, stand, worst
from brookfall.core.measure.figure import Figure
from brookfall.core.table.outcome import Outcome

ALL_TIERS = frozenset({1, 2, 3})
NOT_LIGHT = frozenset({1, 2})
HIGH_STAKES = frozenset({1})
ROWS_OF_THEIR_OWN: frozenset[Outcome] = frozenset({"binary", "multiclass", "number"})
"""Outcomes of which every row stands for itself: all but a choice."""
ANY_OUTCOME: frozenset[Outcome] = frozenset({*ROWS_OF_THEIR_OWN, "choice"})


class Check(ABC):
    """One test of the model: what it asks for, what it computes, the answer it writes, its sentence in the plan.

    A check is one file and its registration. Its docstring, or that of its file, is its page of Methods.

    Attributes
    ----------
    name, title, question
        Its key in plans and evidence, its heading, the one of the seven questions that it answers.
    source
        The published method that it follows.
    outcomes
        The kinds of outcome that it is for.
    tiers
        The tiers whose standard plan has it; with ``needs_version`` only where there is a version in use, with
        ``needs_observed`` only where a column says whose outcome was looked at, with ``needs_scores_alone`` only where
        neither a recipe nor a fitted model came.
    refits
        Whether it says anything only of what is fitted again here.
    asks
        Whether it asks a model about rows that are made up for it: the fitted one as submitted, else the recipe's.
    needs_features
        Whether it says nothing of a model that came as scores alone, with no column that is a feature.
    reads
        What it reads beside the rows and what every check does.
    """

    name: ClassVar[str]
    title: ClassVar[str]
    question: ClassVar[int]
    source: ClassVar[str]
    outcomes: ClassVar[frozenset[Outcome]] = ROWS_OF_THEIR_OWN
    tiers: ClassVar[frozenset[int]] = ALL_TIERS
    needs_version: ClassVar[bool] = False
    needs_observed: ClassVar[bool] = False
    needs_scores_alone: ClassVar[bool] = False
    refits: ClassVar[bool] = False
    asks: ClassVar[bool] = False
    needs_features: ClassVar[bool] = False
    clears: ClassVar[bool] = False
    """Whether so little may be open that the whole is within; the more is within, the sooner."""
    reads: ClassVar[Reads] = Reads()

    @property
    def page(self) -> str:
        """What it is and how it is done, for its page of Methods: its docstring, or else that of its file."""
        own = type(self).__doc__ or getattr(sys.modules[type(self).__module__], "__doc__", None) or ""
        return inspect.cleandoc(own)

    @abstractmethod
    def sentence(self, about: About) -> Sentence:
        """What it does under a plan, in a sentence whose values can be set, with its limit."""

    def requests(self, bench: Bench) -> list[Need]:  # noqa: ARG002 - most that need no fit say nothing here
        """The fits and readings it needs; UserError when the plan can't be carried out on these rows."""
        return []

    @abstractmethod
    def evaluate(self, bench: Bench, ledger: Ledger) -> "Written":
        """The exhibit's content from the readings."""

    def setting(self, bench: Bench, key: str, default: JsonValue) -> JsonValue:
        """One of its own settings in the plan, or else the default."""
        return bench.plan.settings.get(self.name, {}).get(key, default)

    def limit(self, bench: Bench, default: Limit) -> Limit:
        """Its own limit in the policy, or else the default."""
        return bench.plan.policy.limits.get(self.name, default)


@dataclass(frozen=True)
class _Entry:
    labels: Labels
    figure: Figure
    limit: Limit | None
    verdict: Verdict | None
    standing: Standing | None


@dataclass(frozen=True)
class DraftedEstimate:
    """An estimate before it has the name of its check: what tells it from others, and what is said of it."""

    labels: Labels
    said: dict[str, object]

    def named(self, id_: str) -> Estimate:
        """The estimate under its id."""
        return Estimate.model_validate(
            {**self.labels.model_dump(), "id": id_, "measure": self.labels.joined, **self.said}
        )

    @property
    def value(self) -> float | None:
        held = self.said["value"]
        return float(held) if isinstance(held, int | float) else None


@dataclass(frozen=True)
class Written:
    """What a check has written, before it is numbered."""

    answer: str
    drafted: tuple[DraftedEstimate, ...]
    standing: Standing | None
    charts: tuple[Chart, ...] = ()
    series: dict[str, dict[str, list[float | None]]] = field(default_factory=dict)
    tables: tuple[TableView, ...] = ()
    state: State = "done"
    fit_seconds: dict[str, float] = field(default_factory=dict)
    open: int = 0
    lines: tuple[str, ...] = ()

    def estimates(self, check: str) -> tuple[Estimate, ...]:
        """The estimates under the name of their check, each with an id that no other has."""
        seen: dict[str, int] = {}
        found = []
        for one in self.drafted:
            id_ = one.labels.id_in(check)
            seen[id_] = seen.get(id_, 0) + 1
            # The same labels twice, with other figures: told apart by their order, which is that of the check.
            found.append(one.named(id_ if seen[id_] == 1 else f"{id_}/{seen[id_]}"))
        return tuple(found)

    def charts_in(self, check: str) -> tuple[Chart, ...]:
        """The charts with their ids: the check, the kind, and the place among those of the kind."""
        counts: dict[str, int] = {}
        found: list[Chart] = []
        for chart in self.charts:
            counts[chart.kind] = counts.get(chart.kind, 0) + 1
            found.append(chart.model_copy(update={"id": f"{check}/{chart.kind}/{counts[chart.kind]}"}))
        return tuple(found)

    def tables_in(self, check: str) -> tuple[TableView, ...]:
        """The tables with their ids; what one is about is the id of that chart."""
        ids = {chart.title: chart.id for chart in self.charts_in(check)}
        return tuple(
            table.model_copy(
                update={
                    "id": f"{check}/table/{place}",
                    "about": None if table.about is None else ids.get(table.about, table.about),
                }
            )
            for place, table in enumerate(self.tables, start=1)
        )


@dataclass
class Draft:
    """Collects estimates; judges them together, so that the simultaneous level knows how many there are."""

    level: float
    _entries: list[_Entry] = field(default_factory=list)
    _places: dict[str, int] = field(default_factory=dict)
    _judged: int = 0

    def add(
        self,
        quantity: str,
        figure: Figure,
        *,
        comparison: Comparison | None = None,
        model: str = "recipe",
        part: str | None = None,
        group: dict[str, str] | None = None,
        class_: str | None = None,
        feature: str | None = None,
        attribute: str | None = None,
        versus: Versus | None = None,
        threshold: float | None = None,
        repeat: int | None = None,
        limit: Limit | None = None,
        verdict: Verdict | None = None,
        standing: Standing | None = None,
    ) -> int:
        """Adds an estimate and gives its place. With a limit it is judged; a verdict brings its own standing.

        The same figure under the same labels is one estimate, however often it is added.
        """
        labels = Labels(
            quantity=quantity,
            comparison=comparison,
            model=model,
            part=part,
            group=group,
            class_=class_,
            feature=feature,
            attribute=attribute,
            versus=versus,
            threshold=threshold,
            repeat=repeat,
        )
        return self._append(_Entry(labels, figure, limit, verdict, standing))

    def _append(self, entry: _Entry) -> int:
        named = entry.labels.id_in("")
        if named in self._places and self._entries[self._places[named]] == entry:
            return self._places[named]
        self._places.setdefault(named, len(self._entries))
        self._entries.append(entry)
        self._judged += _is_judged(entry)
        return len(self._entries) - 1

    def add_like(self, place: int, comparison: Comparison, figure: Figure) -> int:
        """Adds something said of another estimate, labelled as that one: its p value."""
        labels = self._entries[place].labels
        return self._append(
            _Entry(
                labels.model_copy(update={"quantity": labels.joined, "comparison": comparison}),
                figure,
                None,
                None,
                None,
            )
        )

    def limit(self, place: int) -> Limit | None:
        return self._entries[place].limit

    def quantity(self, place: int) -> str:
        return self._entries[place].labels.quantity

    def comparison(self, place: int) -> Comparison | None:
        return self._entries[place].labels.comparison

    @property
    def wide_level(self) -> float:
        """Bonferroni: 1 − (1 − level)/m over the m judged estimates."""
        return 1 - (1 - self.level) / max(1, self._judged)

    def figure(self, place: int) -> Figure:
        return self._entries[place].figure

    def standing(self, place: int) -> Standing | None:
        entry = self._entries[place]
        if entry.limit is None or entry.standing is not None:
            return entry.standing
        return stand(entry.figure, entry.limit, self.level, self.wide_level)

    def said(self, place: int, decimals: int = 3) -> str:
        """A figure with the interval that its standing was read from: what the sentence and the mark both rest on."""
        return wording.figure(self._entries[place].figure, self.level_of(place), decimals)

    def level_of(self, place: int) -> float:
        """The level of the interval that a standing was read from."""
        return self.wide_level if read_from(self.standing(place)) == "simultaneous" else self.level

    def standings(self) -> list[Standing]:
        found = (self.standing(place) for place in range(len(self._entries)))
        return [standing for standing in found if standing is not None]

    def worst(self, *, cleared: bool = False) -> Standing | None:
        """The worst of the standings; what has too few rows to judge, or can't be computed, counts as open, so that
        nothing is well by ignorance.

        With ``cleared``, what is open is so little of the rows that the whole is within; what is open is still counted.
        """
        few = any(self._is_open(place) for place, entry in enumerate(self._entries) if entry.standing is None)
        found = worst([*self.standings(), *((Standing.UNSETTLED,) if few else ())])
        return Standing.WITHIN if cleared and found is Standing.UNSETTLED else found

    def open(self) -> int:
        """How many of the judged estimates these rows can't settle: unsettled, or too few to judge."""
        return sum(self._is_open(place) for place in range(len(self._entries)))

    def _is_open(self, place: int) -> bool:
        entry = self._entries[place]
        unknown = entry.figure.few or entry.figure.value is None
        return entry.limit is not None and (unknown or self.standing(place) is Standing.UNSETTLED)

    def drafted(self) -> tuple[DraftedEstimate, ...]:
        """Every estimate, before it has the name of its check."""
        return tuple(self._estimate(place) for place in range(len(self._entries)))

    def _estimate(self, place: int) -> DraftedEstimate:
        entry = self._entries[place]
        low, high = _finite(entry.figure.interval(self.level))
        judged = _is_judged(entry)
        wide_low, wide_high = _finite(entry.figure.interval(self.wide_level)) if judged else (None, None)
        return DraftedEstimate(
            entry.labels,
            {
                "value": entry.figure.value,
                "low": low,
                "high": high,
                "level": self.level,
                "n": entry.figure.n,
                "method": entry.figure.method,
                "few": entry.figure.few,
                "leading": entry.limit is not None,
                "judged": read_from(self.standing(place)) if judged else None,
                "limit": entry.limit,
                "standing": self.standing(place),
                "verdict": entry.verdict,
                "note": entry.figure.note,
                "wide_low": wide_low,
                "wide_high": wide_high,
                "wide_level": self.wide_level if judged else None,
            },
        )

    def write(
        self,
        answer: str | Sequence[str],
        *,
        lines: tuple[str, ...] = (),
        charts: tuple[Chart, ...] = (),
        series: dict[str, dict[str, list[float | None]]] | None = None,
        tables: tuple[TableView, ...] = (),
        fit_seconds: dict[str, float] | None = None,
        cleared: bool = False,
    ) -> Written:
        """What is written under this answer, with the lines below it.

        Of several sentences the first leads, with the second where an answer holds both; the others are lines.
        ``cleared`` where what is open leaves the whole within. ValueError where a figure names a series that is not
        there.
        """
        head, below = (answer, ()) if isinstance(answer, str) else wording.led_by(answer)
        for chart in charts:
            if isinstance(chart, MarksChart):
                chart.refuse_missing(series or {})
        return Written(
            head,
            self.drafted(),
            self.worst(cleared=cleared),
            charts,
            series or {},
            tables,
            fit_seconds=fit_seconds or {},
            open=self.open(),
            lines=tuple(dict.fromkeys((*below, *(line for line in lines if line), *self._departures()))),
        )

    def _departures(self) -> tuple[str, ...]:
        """The limits that depart from the policy, each once."""
        limits = dict.fromkeys(entry.limit for entry in self._entries if entry.limit is not None and entry.limit.policy)
        return tuple(f"Judged by {limit.words}, which departs from the policy ({limit.policy})." for limit in limits)


def _is_judged(entry: _Entry) -> bool:
    return entry.limit is not None and entry.figure.value is not None and not entry.figure.few


def _finite(interval: tuple[float, float] | None) -> tuple[float | None, float | None]:
    if interval is None:
        return None, None
    low, high = interval
    return (low if abs(low) < float("inf") else None), (high if abs(high) < float("inf") else None)


def text(words: str) -> Cell:
    return Cell(text=words)


def at(place: int) -> Cell:
    return Cell(estimate=place)


def not_applicable(reason: str) -> Written:
    return Written(reason, (), None, state="not_applicable")


def number_exhibit(check: Check, number: int, written: Written, bench: Bench, rows: Rows, fits: "Fits") -> Exhibit:
    """The exhibit with its number and provenance."""
    recipe = bench.subject.recipe
    return Exhibit(
        number=number,
        check=check.name,
        title=check.title,
        question=check.question,
        state=written.state,
        standing=written.standing,
        answer=written.answer,
        lines=written.lines,
        open=written.open,
        estimates=written.estimates(check.name),
        charts=written.charts_in(check.name),
        series=written.series,
        tables=written.tables_in(check.name),
        provenance=Provenance(
            seed=bench.plan.seed,
            rows=digest.of_rows(rows),
            fits=fits.keys,
            recipe=recipe.model_dump(mode="json") if recipe else None,
            seconds=round(fits.seconds, 3),
            fit_seconds={model: round(seconds, 3) for model, seconds in written.fit_seconds.items()},
            scheme=bench.split.words,
            source=check.source,
            remarks=fits.remarks,
            sources=fits.sources,
            program=fits.program,
        ),
    )


@dataclass(frozen=True)
class Fits:
    """The fits an exhibit rests on, what they and its evaluation took, and the program that made it."""

    keys: tuple[str, ...]
    seconds: float
    remarks: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()
    program: str = ""
