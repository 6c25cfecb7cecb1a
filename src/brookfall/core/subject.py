"""What is under test: rows, what their columns are for, the recipe and the claims."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core.errors import UserError
from brookfall.core.recipe.preprocess import rows_with_gaps
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.package import Package
from brookfall.core.submission.schema import Claim
from brookfall.core.table.roles import Roles, binary_target, check_roles, positive_value
from brookfall.core.table.table import Table


@dataclass(frozen=True)
class Subject:
    """A table with its roles, a recipe to refit (None when there is none), and what is claimed.

    ``file`` names the data in messages.
    """

    table: Table
    roles: Roles
    recipe: Recipe | None
    claims: tuple[Claim, ...]
    file: str

    @cached_property
    def features(self) -> tuple[str, ...]:
        return self.roles.feature_names(self.table)

    @cached_property
    def positive(self) -> NDArray[np.bool_]:
        """The outcome of every row; shape (n,)."""
        return binary_target(self.table, self.roles, self.file)

    @cached_property
    def positive_value(self) -> str:
        return positive_value(self.table, self.roles)

    @cached_property
    def rows(self) -> NDArray[np.int64]:
        """Positions of the rows in use: all, or those without a gap where the recipe drops rows."""
        everything = np.arange(self.table.n_rows, dtype=np.int64)
        if self.recipe is None or self.recipe.preprocess.missing != "drop":
            return everything
        return everything[~rows_with_gaps(self.table.select(self.features))]

    @property
    def dropped(self) -> int:
        return self.table.n_rows - len(self.rows)

    @property
    def threshold(self) -> float:
        return self.recipe.threshold if self.recipe else 0.5


def subject_of(package: Package, roles: Roles | None = None) -> Subject:
    """The subject of a package, under its own roles or the reviewer's; UserError when these don't fit the data."""
    declared = package.submission
    if declared.model.outcome != "binary":
        raise UserError(
            f"Models with a {declared.model.outcome} outcome can't be re-tested by this version.",
            todo="Binary outcomes can.",
            file="submission.yaml",
        )
    data = declared.data[0]
    chosen = roles or data.roles
    check_roles(chosen, package.table, data.path)
    subject = Subject(package.table, chosen, declared.recipe, declared.claims, data.path)
    _ = subject.positive
    return subject
