"""The one door to every measure: by name, on rows of any kind of outcome."""

from brookfall.core.measure import binary, choice, multiclass, number
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.influence_function import Linear
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses

NAMES: dict[str, tuple[str, ...]] = {
    "binary": binary.NAMES,
    "multiclass": tuple(dict.fromkeys((*multiclass.NAMES, *multiclass.OF_A_CLASS))),
    "number": number.NAMES,
    "choice": choice.NAMES,
}
"""Every measure that can be claimed or computed, by kind of outcome."""

LOWER_IS_BETTER = frozenset(
    {
        "error_rate",
        "log_loss",
        "brier",
        "false_positive_rate",
        "false_negative_rate",
        "expected_calibration_error",
        "mse",
        "rmse",
        "mae",
    }
)
"""Measures where a smaller value flatters the model."""

IDEAL = {"bias": 0.0, "calibration_intercept": 0.0, "calibration_slope": 1.0}
"""Measures where the value nearest to this flatters the model."""


def measure(name: str, rows: AnyScored) -> Figure:
    """The measure of that name, with its interval and n; KeyError for a name that this outcome does not have.

    Rows without a score or of weight 0 are left out first, and the figure says how many had no score.
    It is marked when the rows are too few to judge (``figure.too_few``).

    >>> import numpy as np
    >>> rows = Scored(key="doc", outcomes=np.arange(40) % 2 == 0, scores=np.full(40, 0.5), threshold=0.5)
    >>> measure("auc", rows).value, measure("accuracy", rows).n
    (0.5, 40)
    """
    known, remark = rows.usable()
    if isinstance(known, Scored):
        _refuse_unknown(name, binary.NAMES)
        return _told(binary.measure(name, known), few=binary.few(name, known), remark=remark)
    if isinstance(known, ScoredClasses):
        if name not in multiclass.NAMES and name in multiclass.OF_A_CLASS:
            return absent(len(known), "it belongs to one class, not to all of them")
        _refuse_unknown(name, multiclass.NAMES)
        return _told(multiclass.measure(name, known), few=multiclass.few(name, known), remark=remark)
    _refuse_unknown(name, number.NAMES)
    return _told(number.measure(name, known), few=number.few(name, known), remark=remark)


def measure_at(rows: AnyScored, name: str, threshold: float | None = None, class_: str | None = None) -> Figure:
    """A measure at a threshold of its own, or of one class alone, where these are not None.

    >>> import numpy as np
    >>> rows = Scored(key="doc", outcomes=np.arange(40) % 2 == 0, scores=np.full(40, 0.5), threshold=0.5)
    >>> measure_at(rows, "recall").value, measure_at(rows, "recall", threshold=0.9).value
    (1.0, 0.0)
    """
    if isinstance(rows, Scored) and threshold is not None:
        rows = rows.at(threshold)
    if isinstance(rows, ScoredClasses) and class_ is not None:
        return class_measure(name, rows, rows.classes.index(class_))
    return measure(name, rows)


def class_measure(name: str, rows: ScoredClasses, position: int) -> Figure:
    """A measure of one class against the rest, with its interval and n.

    >>> import numpy as np
    >>> from brookfall.core.measure.scored import ScoredClasses
    >>> rows = ScoredClasses(key="", outcomes=np.arange(60) % 3, decisions=np.arange(60) // 20, classes=("a", "b", "c"))
    >>> class_measure("recall", rows, 0).value
    0.35
    """
    known, remark = rows.usable()
    return multiclass.of_class(name, known, position).noted(remark)


def linear(name: str, rows: AnyScored) -> Linear | None:
    """The measure with the influence of each row on it; None when it has no value or no smooth influence.

    >>> import numpy as np
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> linear("bias", rows).value
    1.0000000000000009
    """
    if isinstance(rows, Scored):
        return binary.linear(name, rows)
    if isinstance(rows, ScoredClasses):
        return multiclass.linear(name, rows)
    return number.linear(name, rows)


def _refuse_unknown(name: str, names: tuple[str, ...]) -> None:
    if name not in names:
        raise KeyError(f"'{name}' is not a measure of this outcome; measures are {', '.join(names)}")


def _told(figure: Figure, *, few: bool, remark: str | None) -> Figure:
    marked = figure if figure.value is None else figure.marked(few=few)
    return marked.noted(remark)


def flatters(name: str, claimed: float, found: float) -> bool:
    """Whether a claimed value shows the model in a better light than the one found.

    >>> flatters("auc", 0.9, 0.8), flatters("rmse", 2.0, 3.0), flatters("calibration_slope", 0.7, 0.9)
    (True, True, False)
    """
    if name in IDEAL:
        return abs(claimed - IDEAL[name]) < abs(found - IDEAL[name])
    return claimed < found if name in LOWER_IS_BETTER else claimed > found
