"""What a model just fitted decides of rows that it scored."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Model
from brookfall.core.measure.scored import decided_at


def decided(model: Model, scores: NDArray[np.float64], threshold: float | None) -> NDArray[np.int64]:
    """The class of each row, shape (n,): 1 where positive at the threshold, or the place of the largest.

    UserError where a yes/no has no threshold.
    """
    if model.target.outcome == "binary":
        return (scores >= decided_at(threshold)).astype(np.int64)
    return np.asarray(scores.argmax(axis=1), dtype=np.int64)
