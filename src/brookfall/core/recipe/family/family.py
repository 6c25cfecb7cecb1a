"""What a family of models is, and the types that its settings are made of."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from brookfall.core.table.outcome import Outcome

Estimator = Any
"""An unfitted scikit-learn estimator; the library ships no types."""

CLASSES: frozenset[Outcome] = frozenset({"binary", "multiclass"})
NUMBER: frozenset[Outcome] = frozenset({"number"})
ANY = CLASSES | NUMBER


def none_as_null(written: object) -> object:
    """None where a setting is written as none, null or nothing.

    Parameters
    ----------
    written : object
        What stands in the file.

    Returns
    -------
    object
        The same, or None.

    Examples
    --------
    >>> none_as_null("none") is None, none_as_null("3")
    (True, '3')
    """
    return None if written in ("none", "null", "") else written


Reads = Literal["coefficients", "importances", "tree"]
"""What a fitted model can show of itself."""

Count = Annotated[int, Field(ge=1, le=100_000)]
Unlimited = Annotated[Count | None, BeforeValidator(none_as_null)]
Leaves = Annotated[Annotated[int, Field(ge=2)] | None, BeforeValidator(none_as_null)]
Share = Annotated[float, Field(ge=0, le=1)]
Strength = Annotated[float, Field(ge=0)]
Positive = Annotated[float, Field(gt=0)]
ClassWeight = Annotated[Literal["balanced"] | None, BeforeValidator(none_as_null)]


class Settings(BaseModel):
    """Settings of a family, every default written down; an unknown name is an error."""

    model_config = ConfigDict(extra="forbid", frozen=True)


@dataclass(frozen=True)
class Made:
    """What a family is told when it builds: its settings, the kind of outcome, the seed of its own randomness, and
    how many of the prepared columns are numbers (the others, after them, are levels)."""

    settings: Any
    outcome: Outcome
    seed: int
    numbers: int = 0

    @property
    def classifies(self) -> bool:
        return self.outcome in CLASSES


@dataclass(frozen=True)
class Dial:
    """The setting that makes a family more or less complex. ``rising``: larger values are more complex.

    ``values`` are those along which it is turned, beside the submitted one; None where its range is known by its name.
    """

    setting: str
    rising: bool
    values: tuple[float, ...] | None = None


Matrix = NDArray[np.float64]


@dataclass(frozen=True)
class LeftOut:
    """Training rows as prepared for a left-out sweep: design (n, p), target (n,), weights (n,) or None.

    ``divisors`` of shape (n, p) are what each column would be divided by if that row were left out of learning the
    scale; None where nothing is scaled. ``outcomes`` is how many classes there are, 0 for a number.
    """

    design: Matrix
    target: NDArray[np.float64]
    weights: NDArray[np.float64] | None
    divisors: Matrix | None
    classes: int


Link = Literal["identity", "exp", "logistic", "softmax"]


@dataclass(frozen=True)
class Straight:
    """A model that adds up its columns: coefficients (p, k), intercepts (k,), and what becomes of the sums."""

    coefficients: Matrix
    intercepts: NDArray[np.float64]
    link: Link

    def sums(self, design: Matrix) -> Matrix:
        """The sums (m, k) of prepared rows (m, p)."""
        return np.asarray(design @ self.coefficients + self.intercepts)

    def answers(self, sums: Matrix) -> Matrix:
        """What the model makes of its sums (m, k): predictions (m,), or probabilities (m, classes)."""
        if self.link == "identity":
            return sums[:, 0]
        if self.link == "exp":
            return np.exp(sums[:, 0])
        if self.link == "logistic":
            positive = 1 / (1 + np.exp(-np.clip(sums[:, 0], -700, 700)))
            return np.column_stack([1 - positive, positive])
        shifted = np.exp(sums - sums.max(axis=1, keepdims=True))
        return np.asarray(shifted / shifted.sum(axis=1, keepdims=True))


@dataclass(frozen=True)
class Grown:
    """A fitted tree: for each node its children (-1 in leaves), its prepared column, its threshold (a row goes left at
    or under it), whether a gap goes left, and its impurity-pruning strength (NaN where it has none); shape (nodes,)."""

    left: NDArray[np.int64]
    right: NDArray[np.int64]
    column: NDArray[np.int64]
    threshold: NDArray[np.float64]
    gaps_left: NDArray[np.bool_]
    strength: NDArray[np.float64]


@dataclass(frozen=True)
class TreeSum:
    """A model that adds up its trees: to ``base`` (k,) each tree adds, of the leaf in which a row ends, its values
    (nodes, k). ``scale`` is what comes of it: the score itself, or log odds. ``single``: columns are compared with
    thresholds in single precision."""

    trees: tuple[tuple[Grown, NDArray[np.float64]], ...]
    base: NDArray[np.float64]
    scale: Literal["score", "log odds"]
    single: bool = False


@dataclass(frozen=True)
class Family:
    """A family of models.

    ``build`` gives an unfitted estimator with ``fit``, and ``predict_proba`` or ``predict``. ``weighted``: rows can
    count differently in its fit. ``mixed``: it takes levels as they are, whatever the recipe says of encoding.
    ``dial`` is its complexity; ``reads`` is what a fitted one can show of itself.
    ``left_out`` gives the score of every training row from a fit without it, by algebra, where there is one;
    ``left_out_scaled``: also where each column is scaled by the other rows.
    ``along`` gives the scores of prepared rows (n, p) at many values of the dial from one fitted estimator, made
    with the dial at its most complex: shape (n, values), or (n, values, classes).
    ``by_construction`` says why a recipe of these settings reproduces its training rows and may yet be sound; then
    ``without_itself`` gives the score of each training row (design (n, p), outcomes (n,)) without that row, shape (n,)
    or (n, classes of the estimator), NaN where it can't. ``straight`` are its sums, ``trees`` its trees, where it is
    made of them, and ``tree_sum`` what these add up to. ``many`` fits a yes/no or a number to many outcomes (n, m) of
    the same design at once, with weights (n,) or none; None in place of a fit that must be made by itself.
    """

    name: str
    words: str
    outcomes: frozenset[Outcome]
    settings: type[Settings]
    build: Callable[[Made], Estimator]
    dial: Dial | None = None
    reads: frozenset[Reads] = field(default_factory=frozenset)
    weighted: bool = True
    mixed: bool = False
    left_out: Callable[[Made, LeftOut], Matrix] | None = None
    left_out_scaled: bool = False
    along: Callable[[Made, Estimator, Matrix, tuple[float, ...]], Matrix] | None = None
    by_construction: Callable[[Any], str | None] = lambda _: None
    without_itself: Callable[[Made, Estimator, Matrix, NDArray[Any]], Matrix] | None = None
    straight: Callable[[Made, Estimator], Straight] | None = None
    trees: Callable[[Estimator], Iterator[Grown]] | None = None
    tree_sum: Callable[[Made, Estimator], TreeSum | None] | None = None
    many: Callable[[Made, Matrix, Matrix, Matrix | None], list[Straight | None]] | None = None
