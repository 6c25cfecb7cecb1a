"""The evidence file: exhibits with everything needed to compute them again, and the comparison that replay makes."""

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict

from brookfall.core.environment import environment
from brookfall.core.exhibit import Estimate, Exhibit
from brookfall.core.judge.policy import Policy
from brookfall.core.plan import Plan
from brookfall.core.table.roles import Roles


class PackageHash(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    sha256: str


class Evidence(BaseModel):
    """The contract of the evidence file. ``roles`` are those the reviewer tested under."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    brookfall: Literal[1] = 1
    package: PackageHash
    environment: dict[str, str]
    plan: Plan
    policy: Policy
    roles: Roles
    exhibits: tuple[Exhibit, ...]

    def to_json(self) -> str:
        """The file's text; it holds no NaN."""
        return self.model_dump_json(by_alias=True, indent=1)


def evidence_of(sha256: str, plan: Plan, roles: Roles, exhibits: tuple[Exhibit, ...]) -> Evidence:
    return Evidence(
        package=PackageHash(sha256=sha256),
        environment=environment(),
        plan=plan,
        policy=plan.policy,
        roles=roles,
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


def differences(before: tuple[Exhibit, ...], after: tuple[Exhibit, ...]) -> list[Difference]:
    """Every estimate, answer and series that is not the same bit for bit, in order."""
    found: list[Difference] = []
    replayed = {exhibit.check: exhibit for exhibit in after}
    for old in before:
        new = replayed.get(old.check)
        if new is None:
            found.append(Difference(old.number, old.check, "the exhibit", "present", "absent"))
            continue
        found.extend(_estimate_differences(old, new))
        for name, one, other in (
            ("the answer", old.answer, new.answer),
            ("the number of estimates", str(len(old.estimates)), str(len(new.estimates))),
            ("the series", str(sorted(old.series)), str(sorted(new.series))),
            ("the rows", old.provenance.rows, new.provenance.rows),
        ):
            if one != other:
                found.append(Difference(old.number, old.check, name, one, other))
        found.extend(
            Difference(old.number, old.check, f"the series {name}", "other values", "other values")
            for name, values in old.series.items()
            if new.series.get(name) != values and name in new.series
        )
    return found


def _estimate_differences(old: Exhibit, new: Exhibit) -> list[Difference]:
    return [
        Difference(old.number, old.check, _name(one), f"{one.value!r}", f"{other.value!r}")
        for one, other in zip(old.estimates, new.estimates, strict=False)
        if one != other
    ]


def _name(estimate: Estimate) -> str:
    group = ", ".join(f"{k} {v}" for k, v in (estimate.group or {}).items())
    return " ".join(word for word in (estimate.measure, estimate.part, group) if word)
