"""A retest: exhibits of one version set against the same checks on another, figure by figure, with the differences."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from brookfall.core.candidate.candidate import Candidate, ScoredPart
from brookfall.core.check.bench import ARTIFACT, OUT_OF_FOLD, RECIPE, SCORES, Bench
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import FitFailedError, Ledger
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.standing import worst
from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import AnyScored, Scored

_MOST = 12
"""Figures of an exhibit on its strip; the evidence of the retest has all."""
_UNJUDGED = 6
"""As many where none of them is judged."""
_TESTS = ("p_value", "p_value_holm")


class Frozen(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class FigureDifference(Frozen):
    """A figure after minus before; ``how`` says whether both are of the same rows, ``note`` why there is no value."""

    value: float | None
    low: float | None = None
    high: float | None = None
    level: float
    n: int
    method: str | None = None
    how: str
    note: str | None = None


class ComparedFigure(Frozen):
    """A figure that the exhibit's question turns on, by its id: before, after and the difference; in words what of."""

    id: str
    label: str
    before: Estimate
    after: Estimate | None
    difference: FigureDifference | None


class RetestedExhibit(Frozen):
    """A cited exhibit: what it said, what the same check says of the other version, and the figures of both.

    ``left_out`` counts those beyond the first dozen.
    """

    number: int
    check: str
    title: str
    before: str
    after: str
    state: str
    standing_before: Standing | None
    standing_after: Standing | None
    open_after: int
    compared: tuple[ComparedFigure, ...]
    left_out: int


class RetestResult(Frozen):
    """What came of a retest: ``mended`` where all that is judged is within now, None where these rows can't tell."""

    version_before: str
    version_after: str
    exhibits: tuple[RetestedExhibit, ...]
    mended: bool | None
    words: str


@dataclass(frozen=True)
class Side:
    """A version as it was tested: what it is called, its bench, the ledger of its fits, its exhibits."""

    version: str
    bench: Bench
    ledger: Ledger
    exhibits: tuple[Exhibit, ...]


def before_and_after(before: Side, after: Side) -> RetestResult:
    """Sets every exhibit of ``before`` against the one of the same check in ``after``.

    A difference is paired where both are of the same rows by their identifiers, so that what the rows share falls out;
    over folds it is not, as the fits vary too. Else it is of two sets of rows (Newcombe 1998; Zou & Donner 2008), which
    on rows that are the same is wider than it need be.

    Parameters
    ----------
    before, after
        Under the same plan and limits.

    Returns
    -------
    RetestResult
        Of each exhibit the figures that are judged, or where none is, those of the models.

    Examples
    --------
    >>> from brookfall.core.check.example import small_bench
    >>> from brookfall.core.fit.ledger import MemoryLedger
    >>> side = Side("1", small_bench(), MemoryLedger(), ())
    >>> before_and_after(side, side).words
    'Nothing was compared.'
    """
    news = {exhibit.check: exhibit for exhibit in after.exhibits}
    pairs = _Pairs(before, after)
    found = tuple(_retested(old, news[old.check], pairs) for old in before.exhibits if old.check in news)
    mended, words = _outcome(found, after.version)
    if any(_by_other_programs(old, news[old.check]) for old in before.exhibits if old.check in news):
        words += (
            " What stood before was computed by another release of Brookfall, in which part of a difference may lie."
        )
    return RetestResult(
        version_before=before.version, version_after=after.version, exhibits=found, mended=mended, words=words
    )


def exhibits_side_by_side(before: Sequence[Exhibit], after: Sequence[Exhibit]) -> tuple[RetestedExhibit, ...]:
    """The exhibits of two reviews, check by check, with the differences as of two sets of rows.

    Parameters
    ----------
    before, after
        Each under a plan and limits of its own.

    Returns
    -------
    tuple
        Of every check that both have done, in the order of ``before``.

    Examples
    --------
    >>> exhibits_side_by_side((), ())
    ()
    """
    news = {exhibit.check: exhibit for exhibit in after if exhibit.state == "done"}
    done = [exhibit for exhibit in before if exhibit.state == "done" and exhibit.check in news]
    return tuple(_retested(old, news[old.check], _Apart()) for old in done)


def _by_other_programs(old: Exhibit, new: Exhibit) -> bool:
    programs = old.provenance.program, new.provenance.program
    return all(programs) and programs[0] != programs[1]


def _outcome(found: Sequence[RetestedExhibit], version: str) -> tuple[bool | None, str]:
    if not found:
        return None, "Nothing was compared."
    gone = [one for one in found if one.state != "done"]
    if gone:
        which = wording.listed([f"exhibit {one.number}" for one in gone])
        return None, f"{wording.capital(which)} could not be computed on {version}, so this settles nothing."
    standings = [one.standing_after for one in found if one.standing_after is not None]
    if not standings:
        return None, f"No limit is set for what is cited, so how {version} stands is to be judged by its figures."
    stands = worst(standings)
    if stands == "within" and not any(one.open_after for one in found):
        return True, f"On {version} all that is judged is within its limits."
    if stands == "outside":
        outside = wording.listed([f"exhibit {one.number}" for one in found if one.standing_after == "outside"])
        return False, f"On {version} {outside} {'is' if ' and ' not in outside else 'are'} outside."
    if stands == "near":
        return False, f"On {version} nothing is outside, and not all of it is clear of its limits."
    return None, f"The rows of {version} can't tell whether it is within its limits."


def _retested(old: Exhibit, new: Exhibit, pairs: "_Apart") -> RetestedExhibit:
    chosen = _chosen(old, new)
    compared = tuple(_compared(one, _same(one, new), pairs) for one in chosen[:_MOST])
    return RetestedExhibit(
        number=old.number,
        check=old.check,
        title=old.title,
        before=old.answer,
        after=new.answer,
        state=new.state,
        standing_before=old.standing,
        standing_after=new.standing if new.state == "done" else None,
        open_after=new.open,
        compared=compared,
        left_out=max(0, len(chosen) - _MOST),
    )


def _chosen(old: Exhibit, new: Exhibit) -> list[Estimate]:
    """What the exhibit's question turned on and what it turns on now, which may be another figure; where nothing is
    judged, its first figures, those of unseen rows where there are any."""
    shown = [one for one in old.estimates if one.value is not None and one.comparison not in _TESTS]
    now = {_but_for_threshold(one) for one in new.estimates if one.leading}
    leading = [one for one in shown if one.leading or _but_for_threshold(one) in now]
    if leading:
        return leading
    unseen = [one for one in shown if one.low is not None and not (one.part or "").startswith("training")]
    return (unseen or shown)[:_UNJUDGED]


def _same(before: Estimate, new: Exhibit) -> Estimate | None:
    """The figure of the same name; where another threshold was declared, the one that is the same but for that."""
    by_id = {estimate.id: estimate for estimate in new.estimates}
    if before.id in by_id:
        return by_id[before.id]
    name = _but_for_threshold(before)
    found = [estimate for estimate in new.estimates if _but_for_threshold(estimate) == name]
    return found[0] if len(found) == 1 else None


def _but_for_threshold(estimate: Estimate) -> str:
    return estimate.model_copy(update={"threshold": None}).id_in("")


def _compared(before: Estimate, after: Estimate | None, pairs: "_Apart") -> ComparedFigure:
    difference = None if after is None else pairs.difference(before, after)
    return ComparedFigure(
        id=before.id, label=wording.capital(_label(before)), before=before, after=after, difference=difference
    )


def _label(estimate: Estimate) -> str:
    """What an estimate is of, short enough for a strip."""
    said = [words_of(estimate.quantity)]
    if estimate.comparison is not None:
        said.append(estimate.comparison.replace("_", " "))
    if estimate.group:
        said.append(" and ".join(f"{name} {level}" for name, level in sorted(estimate.group.items())))
    said += [value for value in (estimate.attribute, estimate.class_, estimate.feature) if value is not None]
    if estimate.part is not None:
        said.append(estimate.part.replace("_", "-"))
    if estimate.model not in (RECIPE, ARTIFACT, SCORES):
        said.append(estimate.model.replace("_", " "))
    return ", ".join(said)


class _Apart:
    """Two versions of whose rows nothing more is known."""

    def difference(self, before: Estimate, after: Estimate) -> FigureDifference:
        """After minus before, with its interval at the level of the figures."""
        figure, how = self._figure(before, after)
        ends = figure.interval(after.level) or (None, None)
        return FigureDifference(
            value=figure.value, low=ends[0], high=ends[1], level=after.level, n=figure.n,
            method=figure.method, how=how, note=figure.note,
        )  # fmt: skip

    def _figure(self, before: Estimate, after: Estimate) -> tuple[Figure, str]:
        return independent_difference(_as_figure(after), _as_figure(before)), "as on different rows"


class _Pairs(_Apart):
    """Both versions' scores on rows that are the same by their identifiers, where there are such."""

    def __init__(self, before: Side, after: Side) -> None:
        self.before, self.after = before, after
        self._kept: dict[tuple[str, str], tuple[AnyScored, AnyScored] | str] = {}

    def _figure(self, before: Estimate, after: Estimate) -> tuple[Figure, str]:
        plain = before.comparison is None and not (before.group or before.class_ or before.feature or before.attribute)
        why = "It is no measure of one model on one part, whose rows could be paired."
        if plain and before.part is not None and before.repeat is None:
            rows = self._rows(before.model, before.part)
            if not isinstance(rows, str):
                old, new = _at(rows[0], before.threshold), _at(rows[1], after.threshold)
                figure = paired(before.quantity, new, old)
                if figure.value is None:
                    rows = figure.note or "It has no paired interval."
                elif not _is_difference(figure.value, before, after):
                    rows = "These rows one by one give another value than the figures themselves."
                else:
                    return figure, "on the same rows"
            why = rows
        figure, how = super()._figure(before, after)
        return figure, f"{how}: {_lower(why)}"

    def _rows(self, model: str, part: str) -> tuple[AnyScored, AnyScored] | str:
        """Both scored parts in one order; where they can't be had, why."""
        if (model, part) not in self._kept:
            try:
                self._kept[model, part] = self._aligned(model, part)
            except (UserError, FitFailedError) as problem:
                self._kept[model, part] = str(problem)
            except KeyError:
                self._kept[model, part] = "The scores of these rows are not among what the exhibits rest on."
        return self._kept[model, part]

    def _aligned(self, model: str, part: str) -> tuple[AnyScored, AnyScored] | str:
        if part == OUT_OF_FOLD:
            return "Over folds the fits vary too, which rows put in pairs do not tell."
        old, new = (_scored(side, model, part) for side in (self.before, self.after))
        if old is None or new is None:
            return "It is no measure of the submitted model."
        names = [_identifying(side.bench) for side in (self.before, self.after)]
        if not names[0] or names[0] != names[1]:
            return "No column identifies the rows of both versions."
        keys = [_keys(side.bench, one) for side, one in ((self.before, old), (self.after, new))]
        order = [np.argsort(one, kind="stable") for one in keys]
        first, second = (one[by] for one, by in zip(keys, order, strict=True))
        if len(np.unique(first)) != len(first) or not np.array_equal(first, second):
            return "The rows of both versions are not the same by their identifiers."
        mine, theirs = old.scored.take(order[0], "paired"), new.scored.take(order[1], "paired")
        classes = [getattr(one, "classes", ()) for one in (mine, theirs)]
        if classes[0] != classes[1] or not np.array_equal(_outcomes(mine), _outcomes(theirs)):
            return "Rows of the same identifier have other outcomes in the two versions."
        return mine, theirs


def _is_difference(value: float, before: Estimate, after: Estimate) -> bool:
    """Whether the value is that of the two figures as they are shown."""
    if before.value is None or after.value is None:
        return False
    return math.isclose(value, after.value - before.value, rel_tol=1e-9, abs_tol=1e-12)


def _scored(side: Side, model: str, part: str) -> ScoredPart | None:
    candidate: Candidate | None = None
    if model == RECIPE and side.bench.subject.recipe is not None:
        candidate = side.bench.submitted
    if model == ARTIFACT and side.bench.has_artifact and part in side.bench.artifact.parts:
        candidate = side.bench.artifact
    if model == SCORES and side.bench.subject.supplied is not None:
        candidate = side.bench.supplied_scores
    return None if candidate is None else candidate.scored(side.ledger, part)


def _identifying(bench: Bench) -> tuple[str, ...]:
    """The columns that say which row, or of a choice which occasion, is meant."""
    occasion = bench.subject.roles.occasion
    return bench.subject.roles.identifier if occasion is None else (occasion,)


def _keys(bench: Bench, part: ScoredPart) -> NDArray[np.str_]:
    columns = [bench.subject.table.column(name).take(part.positions).texts() for name in _identifying(bench)]
    return np.array(["\x1f".join(text or "" for text in row) for row in zip(*columns, strict=True)], dtype=np.str_)


def _outcomes(scored: AnyScored) -> NDArray[np.float64]:
    return np.asarray(scored.outcomes, dtype=np.float64)


def _at(scored: AnyScored, threshold: float | None) -> AnyScored:
    """The rows decided at the threshold of a figure, where it has one; decisions that came with scores stay."""
    if threshold is None or not isinstance(scored, Scored) or scored.given is not None:
        return scored
    return scored.at(threshold)


def _as_figure(estimate: Estimate) -> Figure:
    """The estimate as a figure that has the one interval which is kept of it."""
    if estimate.value is None:
        return absent(estimate.n, estimate.note or "it can't be computed")
    bounds = None if estimate.low is None or estimate.high is None else Interval(_kept, estimate.low, estimate.high)
    return Figure(estimate.value, estimate.n, estimate.method, bounds, estimate.note, estimate.few)


def _kept(low: float, high: float, _level: float) -> tuple[float, float]:
    return low, high


def _lower(sentence: str) -> str:
    return sentence[:1].lower() + sentence[1:].rstrip(".")
