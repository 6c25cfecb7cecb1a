"""The one door to every measure: by name, on rows of any kind of outcome. Others are added by entry points."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.plugins import with_plugins
from brookfall.core.foundation.sources import digest_of_callables
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.influence_function import Linear
from brookfall.core.measure.measure import Form, Measure, Scale, Shown
from brookfall.core.measure.scored import AnyScored, Picked, Sampled, Scored, ScoredClasses

GROUP = "brookfall.measures"
"""Entry points of this group are measures, or lists of them, of other packages."""


@cache
def measures() -> dict[str, Measure]:
    """Every measure by name, in the order in which they are listed: our own, then those of other packages.

    Returns
    -------
    dict[str, Measure]
        Measures by name.

    Raises
    ------
    ValueError
        A package brings a measure of a name that is taken.

    Examples
    --------
    >>> measures()["auc"].words
    'AUC'
    """
    from brookfall.core.measure.built_in import MEASURES

    return with_plugins(MEASURES, GROUP, Measure)


def named(name: str) -> Measure:
    """The measure of that name.

    Parameters
    ----------
    name : str
        A measure's name.

    Returns
    -------
    Measure
        The measure.

    Raises
    ------
    KeyError
        There is none, with the names that there are.

    Examples
    --------
    >>> named("auc").words
    'AUC'
    """
    found = measures().get(name)
    if found is None:
        raise KeyError(f"'{name}' is not a measure; measures are {', '.join(measures())}")
    return found


def forms(outcome: str, shown: Shown | None = None) -> dict[str, Form]:
    """The measures that a kind of outcome has and how they are taken, that of the standard plan first.

    Parameters
    ----------
    outcome : str
        The kind of outcome.
    shown : Shown | None
        Only those that stand there.

    Returns
    -------
    dict[str, Form]
        Forms by the measure's name.

    Examples
    --------
    >>> list(forms("number", "plan"))
    ['r2', 'rmse', 'mae', 'mse']
    """
    found = {one.name: one.forms[outcome] for one in measures().values() if outcome in one.forms}
    kept = [name for name, form in found.items() if shown is None or shown in form.shown]
    return {name: found[name] for name in sorted(kept, key=lambda name: not found[name].standard)}


@cache
def program_of(name: str) -> str:
    """The digest of the sources that a measure rests on, and of what is declared of it; ``absent`` without one.

    Parameters
    ----------
    name : str
        A measure's name.

    Returns
    -------
    str
        A digest, or ``absent``.

    Examples
    --------
    >>> program_of("rmse") == program_of("auc"), program_of("never_heard_of")
    (False, 'absent')
    """
    one = measures().get(name)
    if one is None:
        return "absent"
    taken = [part for form in one.forms.values() for part in _parts_of(form)]
    declared = (one.name, repr(one.better), repr(one.range), one.scale, one.gap, sorted(one.forms))
    return sha256(f"{declared} {digest_of_callables(*taken)}".encode())


def _parts_of(form: Form) -> tuple[object, ...]:
    return (form.figure, form.influence, form.few, form.hits, form.losses, form.chance_loss, form.chance)


@contextmanager
def uses_noted() -> Iterator[set[str]]:
    """The names of the measures that are taken meanwhile, in this thread.

    Yields
    ------
    set[str]
        A set that grows as measures are taken.

    Examples
    --------
    >>> with uses_noted() as used:
    ...     _ = measures()
    >>> used
    set()
    """
    names: set[str] = set()
    token = _NOTED.set(names)
    try:
        yield names
    finally:
        _NOTED.reset(token)


_NOTED: ContextVar[set[str] | None] = ContextVar("measures taken", default=None)


def names_for(outcome: str) -> tuple[str, ...]:
    """Every measure that can be claimed of an outcome; of several classes also those that one class alone can have.

    Parameters
    ----------
    outcome : str
        The kind of outcome.

    Returns
    -------
    tuple[str, ...]
        Names, those that stand for themselves first.

    Examples
    --------
    >>> "true_positive_rate" in names_for("multiclass"), "true_positive_rate" in names_for("number")
    (True, False)
    """
    single = (one.name for one in measures().values() if one.of_a_class) if outcome == "multiclass" else ()
    return tuple(dict.fromkeys((*forms(outcome), *single)))


def standard_measure(outcome: str) -> str:
    """What the standard plan judges this kind of outcome by.

    Parameters
    ----------
    outcome : str
        The kind of outcome.

    Returns
    -------
    str
        A measure's name.

    Examples
    --------
    >>> standard_measure("binary"), standard_measure("multiclass")
    ('auc', 'balanced_accuracy')
    """
    return next(iter(forms(outcome, "plan")))


def words_of(name: str) -> str:
    """A measure's name, or that of a comparison of it, as the trade writes it.

    Parameters
    ----------
    name : str
        A measure's name, or that of a comparison of it.

    Returns
    -------
    str
        Its words.

    Examples
    --------
    >>> words_of("auc_gap"), words_of("r2")
    ('gap in AUC', 'R²')
    """
    found = measures().get(name)
    if found is not None:
        return found.words
    for suffix, word in COMPARISON_WORDS.items():
        if name.endswith(f"_{suffix}"):
            return f"{word} {words_of(name.removesuffix(f'_{suffix}'))}"
    return name.replace("_", " ")


COMPARISON_WORDS = {
    "gap": "gap in",
    "difference": "difference in",
    "ratio": "ratio of",
    "change": "change of the",
    "p_value": "p of the",
    "p_value_holm": "p (Holm) of the",
}
"""How a comparison is said of a measure."""


def measure(name: str, rows: Sampled) -> Figure:
    """The measure of that name, with its interval and n.

    Rows without a score or of weight 0 are left out first, and the figure says how many had no score.
    It is marked when the rows are too few to judge.

    Parameters
    ----------
    name : str
        One of ``names_for`` the kind of outcome.
    rows : Sampled
        The rows with their outcomes and what a model said of them.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Raises
    ------
    KeyError
        This outcome does not have a measure of that name.
    ValueError
        The rows can't be measured: arrays of other lengths, outcomes that are no yes/no, an infinite score.

    Examples
    --------
    >>> import numpy as np
    >>> rows = Scored(key="doc", outcomes=np.arange(40) % 2 == 0, scores=np.full(40, 0.5), threshold=0.5)
    >>> measure("auc", rows).value, measure("accuracy", rows).n
    (0.5, 40)
    """
    known, remark = rows.usable()
    form = _form(name, rows.outcome)
    if form is None:
        return absent(len(known), "it belongs to one class, not to all of them")
    return form.take(known).noted(remark)


def measure_at(rows: AnyScored, name: str, threshold: float | None = None, class_: str | None = None) -> Figure:
    """A measure at a threshold of its own, or of one class alone, where these are not None.

    Parameters
    ----------
    rows : AnyScored
        n rows of any outcome.
    name : str
        A measure's name.
    threshold : float | None
        The threshold to decide a yes/no at; None for that of the rows.
    class_ : str | None
        The class against the rest; None for all classes.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Raises
    ------
    KeyError
        This outcome does not have a measure of that name.

    Examples
    --------
    >>> import numpy as np
    >>> rows = Scored(key="doc", outcomes=np.arange(40) % 2 == 0, scores=np.full(40, 0.5), threshold=0.5)
    >>> measure_at(rows, "recall").value, measure_at(rows, "recall", threshold=0.9).value
    (1.0, 0.0)
    """
    rows = _asked_of(rows, threshold, class_)
    if isinstance(rows, ScoredClasses) and class_ is not None:
        return class_measure(name, rows, rows.classes.index(class_))
    return measure(name, rows)


def value_at(rows: AnyScored, name: str, threshold: float | None = None, class_: str | None = None) -> float | None:
    """The value that :func:`measure_at` finds, for who needs no interval: some take a thousand resamples.

    Parameters
    ----------
    rows : AnyScored
        n rows of any outcome.
    name : str
        A measure's name.
    threshold : float | None
        The threshold to decide a yes/no at; None for that of the rows.
    class_ : str | None
        The class against the rest; None for all classes.

    Returns
    -------
    float | None
        The value; None where there is none.

    Raises
    ------
    KeyError
        This outcome does not have a measure of that name.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> value_at(yes_no_rows(), "ks") == measure_at(yes_no_rows(), "ks").value
    True
    """
    rows = _asked_of(rows, threshold, class_)
    if isinstance(rows, ScoredClasses) and class_ is not None:
        of_class, known, _ = _of_class(name, rows)
        if isinstance(of_class, str):
            return None
        return of_class.take_value(known.against_rest(rows.classes.index(class_)))
    form = _form(name, rows.outcome)
    return None if form is None else form.take_value(rows.usable()[0])


def _asked_of(rows: AnyScored, threshold: float | None, class_: str | None) -> AnyScored:
    if isinstance(rows, Scored) and threshold is not None:
        return rows.at(threshold)
    return rows.as_classes if isinstance(rows, Picked) and class_ is not None else rows


def class_measure(name: str, rows: ScoredClasses, position: int) -> Figure:
    """A measure of one class against the rest, with its interval and n.

    Parameters
    ----------
    name : str
        A measure that one class can have.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.
    position : int
        The class's place among all.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Raises
    ------
    KeyError
        There is no such measure of a class.

    Examples
    --------
    >>> import numpy as np
    >>> from brookfall.core.measure.scored import ScoredClasses
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> class_measure("recall", class_rows(), 0).value
    0.35
    """
    form, known, remark = _of_class(name, rows)
    if isinstance(form, str):
        return absent(len(known), form).noted(remark)
    return form.take(known.against_rest(position)).noted(remark)


def _of_class(name: str, rows: ScoredClasses) -> tuple[Form | str, ScoredClasses, str | None]:
    """How one class of these rows has a measure, or why none can; the rows that count, and what was left out."""
    known, remark = rows.usable()
    form = _form(name, "binary")
    if form is None:
        return "one class alone does not have it", known, remark
    return known.lacks("decision" if form.needs == "decision" else "score") or form, known, remark


def linear(name: str, rows: AnyScored) -> Linear | None:
    """The measure with the influence of each row on it; None when it has no value or no smooth influence.

    Parameters
    ----------
    name : str
        A measure's name.
    rows : AnyScored
        n rows of any outcome.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Raises
    ------
    KeyError
        This outcome does not have a measure of that name.

    Examples
    --------
    >>> import numpy as np
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> linear("bias", rows).value
    1.0000000000000009
    """
    form = _form(name, rows.outcome)
    return None if form is None or form.influence is None else form.influence(rows)


def _form(name: str, outcome: str) -> Form | None:
    """How it is taken; None where one class of several alone can have it; KeyError where this outcome has none."""
    noted = _NOTED.get()
    if noted is not None:
        noted.add(name)
    one = measures().get(name)
    if one is not None and outcome in one.forms:
        return one.forms[outcome]
    if one is not None and outcome == "multiclass" and one.of_a_class:
        return None
    raise KeyError(f"'{name}' is not a measure of this outcome; measures are {', '.join(forms(outcome))}")


def scale_of(name: str) -> Scale:
    """What a strip of it is drawn on: shares of 1 where it is no measure with a unit of its own.

    Parameters
    ----------
    name : str
        A measure's name, or that of a comparison.

    Returns
    -------
    Scale
        The scale.

    Examples
    --------
    >>> scale_of("rmse"), scale_of("share_of_suspects")
    ('unit', 'share')
    """
    one = measures().get(name)
    return "share" if one is None else one.scale


def depends_on_threshold(name: str) -> bool:
    """Whether another threshold would give it another value; so for all that is no measure, as nothing is known of it.

    Parameters
    ----------
    name : str
        Any name.

    Returns
    -------
    bool
        False where it is a measure that no threshold changes.

    Examples
    --------
    >>> depends_on_threshold("recall"), depends_on_threshold("auc")
    (True, False)
    """
    one = measures().get(name)
    return one is None or any(form.needs == "decision" for form in one.forms.values())


def lower_is_better(name: str) -> bool:
    """Whether a smaller value flatters the model.

    Parameters
    ----------
    name : str
        A measure's name, or that of a comparison.

    Returns
    -------
    bool
        Whether lower is better.

    Examples
    --------
    >>> lower_is_better("brier"), lower_is_better("auc")
    (True, False)
    """
    return named(name).lower_is_better


def flatters(name: str, claimed: float, found: float) -> bool:
    """Whether a claimed value shows the model in a better light than the one found.

    Parameters
    ----------
    name : str
        A measure's name.
    claimed, found : float
        The value claimed, and the one found.

    Returns
    -------
    bool
        Whether the claim says more than was found.

    Examples
    --------
    >>> flatters("auc", 0.9, 0.8), flatters("rmse", 2.0, 3.0), flatters("calibration_slope", 0.7, 0.9)
    (True, True, False)
    """
    return named(name).flatters(claimed, found)
