"""``python -m scripts.compare_evidence BEFORE AFTER``: what two programs say of the same packages, by estimate.

BEFORE and AFTER are evidence files, or folders of them by the same names. Values and intervals in closed form have to
agree to 1e-12 of their size; ends of intervals that are drawn at random are counted apart. Exit 1 where any other
figure differs or is gone.
"""

import sys
from dataclasses import dataclass, field
from pathlib import Path

from brookfall.core.evidence.estimate import Estimate
from brookfall.core.retest.differences import counterpart, drawn_in
from brookfall.core.retest.evidence_file import Evidence, read_evidence

TOLERANCE = 1e-12


@dataclass
class Count:
    """Estimates of a package by what became of them, and the ids of those that differ or are gone."""

    same: int = 0
    drawn: int = 0
    added: int = 0
    other: list[str] = field(default_factory=list)


def main() -> None:
    if len(sys.argv) != 3:
        sys.exit(__doc__)
    before, after = (Path(one) for one in sys.argv[1:])
    names = sorted(file.name for file in before.glob("*.json")) if before.is_dir() else [""]
    failed = False
    for name in names:
        old, new = (read_evidence((place / name if name else place).read_text()) for place in (before, after))
        count = compared(old, new)
        failed |= bool(count.other)
        print(
            f"{name or after.name}: {count.same} the same, {count.drawn} with other drawn ends, {count.added} new, "
            f"{len(count.other)} other or gone"
        )
        for line in count.other[:40]:
            print(f"  {line}")
    sys.exit(int(failed))


def compared(before: Evidence, after: Evidence) -> Count:
    """Every estimate of the first among those of the second, by id."""
    now = {one.id: one for exhibit in after.exhibits for one in exhibit.estimates}
    had = [one for exhibit in before.exhibits for one in exhibit.estimates]
    drawn = {id_ for exhibit in before.exhibits for id_ in drawn_in(exhibit)}
    count = Count(added=len(set(now) - {one.id for one in had}))
    for one in had:
        other = counterpart(one.id, now)
        if other is None:
            count.other.append(f"{one.id}: gone, {one.value!r} before")
        elif not near(one.value, other.value):
            count.other.append(f"{one.id}: {one.value!r} before, {other.value!r} now")
        elif near(one.low, other.low) and near(one.high, other.high):
            count.same += 1
        elif one.id in drawn:
            count.drawn += 1
        else:
            count.other.append(f"{one.id}: {shown(one)} before, {shown(other)} now ({one.method})")
    return count


def shown(one: Estimate) -> str:
    return f"{one.value!r} [{one.low!r}, {one.high!r}]"


def near(one: float | None, other: float | None) -> bool:
    if one is None or other is None:
        return one is other
    return abs(one - other) <= TOLERANCE * max(1.0, abs(one))


if __name__ == "__main__":
    main()
