"""What a model just fitted decides of rows that it scored."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Fitted


def decided(fitted: Fitted, scores: NDArray[np.float64]) -> NDArray[np.int64]:
    """The class of each row, shape (n,): 1 where positive at the submitted threshold, or the place of the largest."""
    if fitted.target.outcome == "binary":
        return (scores >= fitted.subject.threshold).astype(np.int64)
    return np.asarray(scores.argmax(axis=1), dtype=np.int64)
