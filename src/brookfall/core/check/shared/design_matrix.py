"""The prepared columns of a fit, learned again from its training rows: the model itself is not kept."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import AnyFit, FitRequest
from brookfall.core.recipe.families import family_of
from brookfall.core.recipe.preprocess import Prepared, build_preprocess, raw_matrix


def prepared_of(bench: Bench, fit: AnyFit) -> tuple[Prepared, NDArray[np.float64]]:
    """How the fit prepares rows, and its training rows so prepared (n, p); TypeError of a model that came fitted."""
    if not isinstance(fit, FitRequest):
        raise TypeError("how a model that came fitted prepares rows is not known")
    subject, recipe = bench.subject, fit.recipe
    features = subject.table.select(fit.features)
    prepared = build_preprocess(
        features,
        recipe.preprocess,
        recipe.seed,
        levels_as_they_are=family_of(recipe).mixed,
        target=subject.target.outcome,
    )
    design = prepared.fit_transform(raw_matrix(features, fit.train), subject.target.values[fit.train])
    return prepared, design
