"""The evidence file: exhibits with everything needed to compute them again, and the comparison that replay makes."""

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict

from brookfall.core.evidence.exhibit import Estimate, Exhibit
from brookfall.core.foundation.environment import environment
from brookfall.core.judge.policy import Policy
from brookfall.core.plan.plan import Plan
from brookfall.core.submission.added import Added
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles


class PackageHash(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    sha256: str


class Evidence(BaseModel):
    """The contract of the evidence file. ``roles`` are those the reviewer tested under, ``changes`` what made the table
    that was tested from the one that was submitted, ``added`` the tables that the reviewer put beside it, ``marks``
    what the reviewer said of single labels."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    brookfall: Literal[1] = 1
    package: PackageHash
    environment: dict[str, str]
    plan: Plan
    policy: Policy
    roles: Roles
    changes: tuple[Change, ...] = ()
    added: tuple[Added, ...] = ()
    marks: tuple[LabelMark, ...] = ()
    exhibits: tuple[Exhibit, ...]

    def to_json(self) -> str:
        """The file's text; it holds no NaN."""
        return self.model_dump_json(by_alias=True, indent=1)


def evidence_of(
    sha256: str,
    plan: Plan,
    roles: Roles,
    exhibits: tuple[Exhibit, ...],
    changes: tuple[Change, ...] = (),
    added: tuple[Added, ...] = (),
    marks: tuple[LabelMark, ...] = (),
) -> Evidence:
    """The evidence of exhibits computed here and now.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> evidence_of("0" * 64, bench.plan, bench.subject.roles, ()).brookfall
    1
    """
    return Evidence(
        package=PackageHash(sha256=sha256),
        environment=environment(),
        plan=plan,
        policy=plan.policy,
        roles=roles,
        changes=changes,
        added=added,
        marks=marks,
        exhibits=exhibits,
    )


@dataclass(frozen=True)
class Difference:
    """An estimate that a replay gave otherwise."""

    exhibit: int
    check: str
    estimate: str
    before: str
    after: str

    def __str__(self) -> str:
        return f"exhibit {self.exhibit} ({self.check}), {self.estimate}: {self.before} before, {self.after} now"


OTHER_PROCESSOR = 1e-9
"""How far an estimate may lie from its first value, against its size, when another processor computed it."""


def differences(before: tuple[Exhibit, ...], after: tuple[Exhibit, ...], tolerance: float = 0.0) -> list[Difference]:
    """Every estimate, answer, series and set of rows that is not the same, in order.

    Bit for bit, unless a relative ``tolerance`` is given: then numbers may differ by that much, and what follows
    from their last digits (answers, series) is not compared.

    >>> differences((), ())
    []
    """
    found: list[Difference] = []
    replayed = {exhibit.check: exhibit for exhibit in after}
    for old in before:
        new = replayed.get(old.check)
        if new is None:
            found.append(Difference(old.number, old.check, "the exhibit", "present", "absent"))
            continue
        found.extend(_estimate_differences(old, new, tolerance))
        facts = [
            ("the number of estimates", str(len(old.estimates)), str(len(new.estimates))),
            ("the series", str(sorted(old.series)), str(sorted(new.series))),
            ("the rows", old.provenance.rows, new.provenance.rows),
        ]
        if not tolerance:
            facts.append(("the answer", old.answer, new.answer))
            facts += [
                (f"the series {name}", "one set of values", "another")
                for name, values in old.series.items()
                if new.series.get(name) != values and name in new.series
            ]
        found.extend(Difference(old.number, old.check, name, one, other) for name, one, other in facts if one != other)
    return found


def _estimate_differences(old: Exhibit, new: Exhibit, tolerance: float) -> list[Difference]:
    return [
        Difference(old.number, old.check, _name(one), f"{one.value!r}", f"{other.value!r}")
        for one, other in zip(old.estimates, new.estimates, strict=False)
        if not _same(one, other, tolerance)
    ]


_NUMBERS = ("value", "low", "high", "wide_low", "wide_high")


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


def _name(estimate: Estimate) -> str:
    group = ", ".join(f"{k} {v}" for k, v in (estimate.group or {}).items())
    return " ".join(word for word in (estimate.measure, estimate.part, group) if word)
