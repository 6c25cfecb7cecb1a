"""What would have come of scaling new rows by their own range instead of the one learned from training rows."""

from copy import deepcopy
from dataclasses import replace

import numpy as np

from brookfall.core.fit.execute import on_one_thread
from brookfall.core.fit.fitted import Fitted, Model
from brookfall.core.measure.scored import Numbers


def scores_scaled_by_itself(model: Model, raw: Numbers) -> Numbers | None:
    """The scores of raw rows (m, p) had gaps and scales of numbers been learned from these rows instead.

    None where the recipe scales nothing, so that nothing would differ, and of a model that came fitted. Levels keep
    their places.

    Scales of a single row are those of no spread, which a scaler leaves at 1.
    """
    if not isinstance(model, Fitted):
        return None
    if model.request.recipe.preprocess.scale == "none" or model.prepared.steps is None:
        return None
    steps = deepcopy(model.prepared.steps)
    with on_one_thread():
        for name, step, columns in steps.transformers_:
            if name == "numbers":
                step.fit(np.asarray(raw[:, columns], dtype=np.float64))
                return replace(model, prepared=replace(model.prepared, steps=steps)).scores_of_many(raw)
    return None
