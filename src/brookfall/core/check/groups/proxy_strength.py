"""How strongly features, alone and in pairs, go with each protected attribute."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.groups.protected_groups import Ground, grounds_of
from brookfall.core.fit.request import Rows
from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.association import Association, associate, binned_column
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import holm
from brookfall.core.table.table import Column

STRONG = 0.3
"""An association from which a feature is called a proxy here (common practice: a medium one)."""


_MOST_ROWS = 20_000


_MOST_LISTED = 60


_MOST_PAIRED = 40
"""Features of which every pair is looked at."""


_MOST_CROSSED = 2_000
"""Associations up to which features are also set against pairs of attributes."""


@dataclass(frozen=True)
class Proxy:
    """A feature with how it goes with one attribute, or with a pair of them."""

    feature: str
    attribute: str
    association: Association


def proxies_of(bench: Bench, rows: Rows, *, crossing: bool = True) -> list[Proxy]:
    """Every feature against every attribute, and, ``crossing``, against pairs of attributes where these are not too
    many; the strongest first. A feature that is the attribute itself is left out."""
    subject = bench.subject
    grounds = [ground.take(rows) for ground in grounds_of(subject, bench.plan)]
    columns = [subject.table.column(name).take(rows) for name in subject.features]
    targets: list[tuple[str, tuple[str, ...], Column]] = [
        (ground.name, (ground.name,), as_column(ground)) for ground in grounds
    ]
    pairs = list(combinations(grounds, 2))
    if crossing and len(columns) * len(pairs) <= _MOST_CROSSED:
        targets += [(f"{a.name} × {b.name}", (a.name, b.name), crossed(a, b)) for a, b in pairs]
    found = [
        Proxy(column.name, name, associate(column, target))
        for name, parts, target in targets
        for column in columns
        if column.name not in parts
    ]
    return sorted(found, key=lambda one: -one.association.strength)


def as_column(ground: Ground) -> Column:
    """The groups of a ground as a category; a gap is none of them."""
    codes = ground.codes.astype(np.int32)
    if ground.gap is not None:
        codes = np.where(codes == ground.gap, -1, codes).astype(np.int32)
    return Column(ground.name, "category", codes, ground.levels)


def crossed(one: Ground, other: Ground) -> Column:
    """Two grounds as one category of their pairs of levels; a gap in either is a gap."""
    levels = tuple(f"{a}, {b}" for a in one.levels for b in other.levels)
    codes = one.codes * len(other.levels) + other.codes
    gaps = np.zeros(len(codes), dtype=np.bool_)
    for ground in (one, other):
        if ground.gap is not None:
            gaps |= ground.codes == ground.gap
    name = f"{one.name} × {other.name}"
    return Column(name, "category", np.where(gaps, -1, codes).astype(np.int32), levels)


def strongest(bench: Bench) -> tuple[str, ...]:
    """The features that go with a single attribute strongly enough to be called proxies, the strongest first.

    Told on at most so many rows: more would say the same. Protected columns are none.
    """
    subject = bench.subject
    found = [
        (one.association.strength, one.feature)
        for one in proxies_of(bench, some_rows(bench), crossing=False)
        if one.feature not in subject.roles.protected
    ]
    return tuple(dict.fromkeys(feature for strength, feature in found if strength >= STRONG))


def some_rows(bench: Bench) -> Rows:
    """The rows in use, or so many of them, drawn by the plan's seed; sorted."""
    rows = bench.subject.rows
    if len(rows) <= _MOST_ROWS:
        return rows
    rng = np.random.default_rng(seed_from("proxies", bench.plan.seed))
    return np.sort(rng.choice(rows, _MOST_ROWS, replace=False))


@dataclass(frozen=True)
class ProxyPair:
    """Two features that together go with an attribute, beside what the stronger of them does alone.

    All three are Cramér's V of the attribute with at most ten bins of a feature, or with their crossing.
    """

    features: tuple[str, str]
    attribute: str
    together: Figure
    alone: float

    @property
    def gain(self) -> float:
        return (self.together.value or 0.0) - self.alone


def pairs_of(bench: Bench, most: int = 30) -> list[ProxyPair]:
    """The pairs of features that go with an attribute by most more than either alone, of those that are proxies
    together; told on at most 20 000 rows."""
    subject, rows = bench.subject, some_rows(bench)
    names = [name for name in subject.features if name not in subject.roles.protected][:_MOST_PAIRED]
    binned = {name: binned_column(subject.table.column(name).take(rows)) for name in names}
    found = []
    for ground in grounds_of(subject, bench.plan):
        target = as_column(ground.take(rows))
        alone = {name: associate(column, target).strength for name, column in binned.items()}
        for one, other in combinations(names, 2):
            both = associate(_both(binned[one], binned[other]), target)
            pair = ProxyPair((one, other), ground.name, both.figure, max(alone[one], alone[other]))
            if both.strength >= STRONG:
                found.append(pair)
    return sorted(found, key=lambda pair: -pair.gain)[:most]


def _both(one: Column, other: Column) -> Column:
    codes = one.values.astype(np.int64) * len(other.levels) + other.values.astype(np.int64)
    gaps = one.missing | other.missing
    levels = tuple(f"{a}, {b}" for a in one.levels for b in other.levels)
    return Column(f"{one.name} × {other.name}", "category", np.where(gaps, -1, codes).astype(np.int32), levels)


def _adjusted(found: Sequence[Proxy]) -> list[float | None]:
    known = [one.association.p for one in found if one.association.p is not None]
    told = iter(holm(np.array(known)).tolist())
    return [None if one.association.p is None else next(told) for one in found]
