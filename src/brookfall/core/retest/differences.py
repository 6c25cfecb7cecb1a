"""What came out otherwise: two sets of exhibits compared, estimate by estimate by their ids."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit

Kind = Literal["changed", "added", "removed"]

OTHER_PROCESSOR = 1e-9
"""How far an estimate may lie from its first value, against its size, when another processor computed it."""

_NUMBERS = ("value", "low", "high", "wide_low", "wide_high")


@dataclass(frozen=True)
class Difference:
    """Something that came out otherwise, was added, or is gone. ``estimate`` is its id, or what it is in words."""

    exhibit: int
    check: str
    estimate: str
    before: str
    after: str
    kind: Kind = "changed"

    def __str__(self) -> str:
        where = f"exhibit {self.exhibit} ({self.check}), {self.estimate}"
        if self.kind == "added":
            return f"{where}: new, {self.after}"
        if self.kind == "removed":
            return f"{where}: gone, {self.before} before"
        return f"{where}: {self.before} before, {self.after} now"


def differences(before: tuple[Exhibit, ...], after: tuple[Exhibit, ...], tolerance: float = 0.0) -> list[Difference]:
    """Every estimate, answer, series and set of rows that is not the same, in order.

    Parameters
    ----------
    before, after
        What is compared, exhibit by exhibit by check, estimate by estimate by id.
    tolerance
        0 compares bit for bit. Else numbers may differ by that much of their size, and what follows from their last
        digits (answers, series) is not compared.

    Examples
    --------
    >>> differences((), ())
    []
    """
    found: list[Difference] = []
    replayed = {exhibit.check: exhibit for exhibit in after}
    for old in before:
        new = replayed.get(old.check)
        if new is None:
            found.append(Difference(old.number, old.check, "the exhibit", "present", "absent", "removed"))
            continue
        found.extend(_of_estimates(old, new, tolerance))
        facts = [
            ("the series", str(sorted(old.series)), str(sorted(new.series))),
            ("the rows", old.provenance.rows, new.provenance.rows),
        ]
        if not tolerance:
            facts.append(("the answer", old.answer, new.answer))
            facts.append(("the lines below the answer", "\n".join(old.lines), "\n".join(new.lines)))
            facts += [
                (f"the series {name}", "one set of values", "another")
                for name, values in old.series.items()
                if new.series.get(name) != values and name in new.series
            ]
        found.extend(Difference(old.number, old.check, name, one, other) for name, one, other in facts if one != other)
    return found


def numbers_that_differ(before: tuple[Exhibit, ...], after: tuple[Exhibit, ...], tolerance: float) -> list[Difference]:
    """Estimates whose value or plain interval is another, or that are gone, by id; what is new is no difference.

    For evidence of revision 1, which knows less of an estimate than is known now.
    """
    replayed = {one.id: one for exhibit in after for one in exhibit.estimates}
    found = []
    for old in before:
        # Draws were seeded with the program's version until revision 2, so that their ends moved with every release.
        drawn = drawn_in(old)
        for one in old.estimates:
            other = counterpart(one.id, replayed)
            numbers = ("value",) if one.id in drawn else ("value", "low", "high")
            if other is None:
                found.append(Difference(old.number, old.check, one.id, f"{one.value!r}", "absent", "removed"))
            elif not all(_near(getattr(one, n), getattr(other, n), tolerance) for n in numbers):
                found.append(Difference(old.number, old.check, one.id, _shown(one), _shown(other)))
    return found


def counterpart(id_: str, now: Mapping[str, Estimate]) -> Estimate | None:
    """What stands now for an estimate of revision 1, which may have said one number twice under the same labels.

    >>> counterpart("groups/recall_ratio/recipe/test/2", {}) is None
    True
    """
    return now.get(id_) or now.get(re.sub(r"/\d+$", "", id_))


_DRAWN = ("bootstrap", "t_over_draws", "range_of_draws", "range_of_splits")


def drawn_in(exhibit: Exhibit) -> frozenset[str]:
    """The ids of the estimates whose ends come of random draws, so that they are others under another seed: drawn
    themselves, or comparisons of a quantity that is."""
    drawn = {one.quantity for one in exhibit.estimates if (one.method or "").startswith(_DRAWN)}
    return frozenset(
        one.id
        for one in exhibit.estimates
        if (one.method or "").startswith(_DRAWN) or (one.comparison is not None and one.quantity in drawn)
    )


def _of_estimates(old: Exhibit, new: Exhibit, tolerance: float) -> list[Difference]:
    ours, theirs = ({one.id: one for one in exhibit.estimates} for exhibit in (old, new))
    found = []
    for id_ in dict.fromkeys((*ours, *theirs)):
        one, other = ours.get(id_), theirs.get(id_)
        if one is None and other is not None:
            found.append(Difference(old.number, old.check, id_, "absent", f"{other.value!r}", "added"))
        elif other is None and one is not None:
            found.append(Difference(old.number, old.check, id_, f"{one.value!r}", "absent", "removed"))
        elif one is not None and other is not None and not _same(one, other, tolerance):
            found.append(Difference(old.number, old.check, id_, _shown(one), _shown(other)))
    return found


def _shown(one: Estimate) -> str:
    return f"{one.value!r} [{one.low!r}, {one.high!r}]"


def _same(one: Estimate, other: Estimate, tolerance: float) -> bool:
    if one == other or not tolerance:
        return one == other
    if any(not _near(getattr(one, name), getattr(other, name), tolerance) for name in _NUMBERS):
        return False
    # Notes may carry figures of their own; everything else is a label.
    blank = dict.fromkeys((*_NUMBERS, "note"))
    return one.model_copy(update=blank) == other.model_copy(update=blank)


def _near(one: float | None, other: float | None, tolerance: float) -> bool:
    if one is None or other is None:
        return one is other
    return abs(one - other) <= tolerance * max(1.0, abs(one))
