"""Support vectors with probabilities, and a small neural network."""

from typing import Annotated, Literal

from pydantic import Field

from brookfall.core.recipe.family.family import ANY, Dial, Estimator, Family, Made, Positive, Settings, Strength

_FOLDS = 5


class VectorSettings(Settings):
    """Probabilities by a sigmoid through five-fold decision values (Platt 1999); epsilon 0.1 for a number.

    gamma is of rbf and poly (degree 3); null: 1 / (columns × variance).
    """

    kernel: Literal["linear", "rbf", "poly"] = "rbf"
    strength: Positive = 1.0
    gamma: Positive | None = None


class NetworkSettings(Settings):
    """Rectified units, Adam, batches of 200, as many epochs as it says; penalty on squared weights."""

    layers: Annotated[tuple[Annotated[int, Field(ge=1, le=2000)], ...], Field(min_length=1, max_length=5)] = (32,)
    penalty: Strength = 0.0001
    epochs: Annotated[int, Field(ge=1, le=10_000)] = 200
    learning_rate: Positive = 0.001


def _vectors(made: Made) -> Estimator:
    from sklearn.calibration import CalibratedClassifierCV
    from sklearn.model_selection import StratifiedKFold
    from sklearn.svm import SVC, SVR

    settings: VectorSettings = made.settings
    gamma = "scale" if settings.gamma is None else settings.gamma
    if not made.classifies:
        return SVR(kernel=settings.kernel, C=1 / settings.strength, gamma=gamma, degree=3, epsilon=0.1)
    machine = SVC(kernel=settings.kernel, C=1 / settings.strength, gamma=gamma, degree=3, random_state=made.seed)
    folds = StratifiedKFold(_FOLDS, shuffle=True, random_state=made.seed)
    return CalibratedClassifierCV(machine, method="sigmoid", cv=folds, ensemble=False, n_jobs=1)


def _network(made: Made) -> Estimator:
    from sklearn.neural_network import MLPClassifier, MLPRegressor

    settings: NetworkSettings = made.settings
    kind = MLPClassifier if made.classifies else MLPRegressor
    return kind(
        hidden_layer_sizes=settings.layers,
        activation="relu",
        solver="adam",
        alpha=settings.penalty,
        batch_size="auto",
        learning_rate_init=settings.learning_rate,
        max_iter=settings.epochs,
        early_stopping=False,
        # It runs all its epochs: no stopping that the recipe doesn't name.
        tol=0.0,
        n_iter_no_change=settings.epochs,
        random_state=made.seed,
    )


MACHINES: tuple[Family, ...] = (
    Family("support_vectors", "support vectors", ANY, VectorSettings, _vectors, Dial("strength", rising=False)),
    Family("neural_network", "neural network", ANY, NetworkSettings, _network, Dial("epochs", rising=True)),
)
