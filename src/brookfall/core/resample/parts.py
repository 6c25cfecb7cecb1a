"""Training, validation and test: by shares asked for directly, or as the data's own column says."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from brookfall.core.digest import seed_from
from brookfall.core.errors import UserError
from brookfall.core.resample.part_names import part_name
from brookfall.core.resample.shares import allocate
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Table

Rows = NDArray[np.int64]


def given_parts(table: Table, column: str) -> dict[str, Rows]:
    """Part name to sorted row positions, from a column that names each row's part. Rows without a part are in none."""
    named = as_category(table.column(column))
    found: dict[str, list[Rows]] = {}
    for code, level in enumerate(named.levels):
        rows = np.flatnonzero(named.values == code)
        if len(rows):
            found.setdefault(part_name(level), []).append(rows)
    return {name: np.sort(np.concatenate(rows)) for name, rows in found.items()}


def split_parts(
    rows: Rows, positive: NDArray[np.bool_], shares: Mapping[str, float], seed: int, *, stratified: bool
) -> dict[str, Rows]:
    """Part name to sorted row positions. ``rows`` are the rows to split, ``positive`` their outcomes (same shape).

    Sizes are by largest remainder, inside each class too when stratified. Raises UserError when a part would
    hold no row, or, stratified, no row of one class.
    """
    strata = positive.astype(np.int64) if stratified else np.zeros(len(rows), dtype=np.int64)
    sizes = allocate(np.bincount(strata, minlength=2 if stratified else 1), list(shares.values()))
    for part, counts in zip(shares, sizes, strict=True):
        if (counts == 0).any():
            what = "no row of one class" if counts.any() else "no row"
            raise UserError(
                f"The {part} part would hold {what}: {len(rows)} rows, {int(positive.sum())} of them positive.",
                todo="Give it a larger share, or split into fewer parts.",
            )
    rng = np.random.default_rng(seed_from("parts", seed))
    parts: dict[str, list[Rows]] = {part: [] for part in shares}
    for stratum in range(sizes.shape[1]):
        shuffled = rng.permutation(rows[strata == stratum])
        cuts = np.cumsum(sizes[:, stratum])[:-1]
        for part, chosen in zip(shares, np.split(shuffled, cuts), strict=True):
            parts[part].append(chosen)
    return {part: np.sort(np.concatenate(chosen)) for part, chosen in parts.items()}
