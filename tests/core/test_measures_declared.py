"""What the registry declares of each measure, held against the measure itself, for every kind of outcome."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.measure.built_in import MEASURES
from brookfall.core.measure.measure import Measure
from brookfall.core.measure.registry import (
    depends_on_threshold,
    forms,
    lower_is_better,
    measure,
    measures,
    named,
    names_for,
    program_of,
    scale_of,
    standard_measure,
    uses_noted,
)
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses, ScoredNumbers
from tests.made import binary_rows, class_rows, number_rows

ROWS: dict[str, AnyScored] = {"binary": binary_rows(3, n=200), "multiclass": class_rows(4), "number": number_rows(5)}
TAKEN = [(outcome, one.name) for outcome in ROWS for one in MEASURES if outcome in one.forms]

DIRECTED = [(outcome, name) for outcome, name in TAKEN if named(name).better in ("higher", "lower")]
SMOOTH = [(outcome, name) for outcome, name in TAKEN if named(name).forms[outcome].influence is not None]


def perfect(outcome: str) -> AnyScored:
    """Rows that the model is entirely right on."""
    rows = ROWS[outcome]
    if isinstance(rows, Scored):
        return Scored(
            key="right", outcomes=rows.outcomes, scores=np.where(rows.outcomes, 1.0, 0.0), threshold=rows.threshold
        )
    if isinstance(rows, ScoredClasses):
        sure = np.eye(len(rows.classes))[rows.outcomes]
        return ScoredClasses(
            key="right", outcomes=rows.outcomes, decisions=rows.outcomes, scores=sure, classes=rows.classes
        )
    assert isinstance(rows, ScoredNumbers)
    return ScoredNumbers(key="right", outcomes=rows.outcomes, predictions=rows.outcomes)


@pytest.mark.parametrize(("outcome", "name"), TAKEN)
def test_a_value_lies_in_the_declared_range_and_in_its_interval(outcome: str, name: str) -> None:
    figure = measure(name, ROWS[outcome])
    assert figure.value is not None, figure.note
    one = named(name)
    assert one.can_be(figure.value), (figure.value, one.range)
    ends = figure.interval(0.95)
    assert ends is not None or figure.note
    if ends is not None:
        assert ends[0] <= figure.value <= ends[1]


@pytest.mark.parametrize(("outcome", "name"), TAKEN)
def test_a_wider_level_never_gives_a_narrower_interval(outcome: str, name: str) -> None:
    figure = measure(name, ROWS[outcome])
    narrow, wide = figure.interval(0.9), figure.interval(0.99)
    assert (narrow is None) == (wide is None)
    if narrow is not None and wide is not None:
        assert wide[0] <= narrow[0] + 1e-12
        assert narrow[1] <= wide[1] + 1e-12


@pytest.mark.parametrize(("outcome", "name"), DIRECTED)
def test_being_entirely_right_is_no_worse_than_being_partly_so(outcome: str, name: str) -> None:
    one, right = named(name), measure(name, perfect(outcome))
    best, found = right.value, measure(name, ROWS[outcome]).value
    assert found is not None
    if best is None:
        assert right.note, "what has no value says why"
        return
    assert one.sign * best >= one.sign * found - 1e-12
    assert one.flatters(best, found) or math.isclose(best, found)


@pytest.mark.parametrize(("outcome", "name"), [pair for pair in TAKEN if pair[0] == "binary"])
def test_only_what_depends_on_the_threshold_moves_with_it(outcome: str, name: str) -> None:
    rows = ROWS[outcome]
    assert isinstance(rows, Scored)
    values = {measure(name, rows.at(threshold)).value for threshold in (0.2, 0.4, 0.6, 0.8)}
    if not depends_on_threshold(name):
        assert len(values) == 1
    elif name != "base_rate":
        assert len(values) > 1


@pytest.mark.parametrize("one", MEASURES, ids=lambda one: one.name)
def test_every_measure_says_what_it_is(one: Measure) -> None:
    assert one.words
    assert one.words == one.words.strip()
    assert one.source
    assert one.formula or not one.forms, one.name
    low, high = one.range
    assert low is None or high is None or low < high
    assert lower_is_better(one.name) == (one.better == "lower")
    assert scale_of(one.name) == one.scale
    if isinstance(one.better, float):
        assert one.can_be(one.better)


def test_names_and_words_are_taken_once() -> None:
    assert len({one.name for one in MEASURES}) == len(MEASURES)
    told = [one.words.lower() for one in MEASURES if "binary" in one.forms]
    assert len(set(told)) == len(told)
    assert list(measures()) == [one.name for one in MEASURES]


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number", "choice"])
def test_every_outcome_has_one_standard_measure_and_it_can_be_planned(outcome: str) -> None:
    standard = [name for name, form in forms(outcome).items() if form.standard]
    assert len(standard) <= 1
    assert standard_measure(outcome) in forms(outcome, "plan")
    assert set(forms(outcome)) <= set(names_for(outcome))


@pytest.mark.parametrize(("outcome", "name"), SMOOTH)
def test_the_influences_of_rows_add_up_to_nothing(outcome: str, name: str) -> None:
    influence = named(name).forms[outcome].influence
    assert influence is not None
    found = influence(ROWS[outcome])
    assert found is not None
    assert np.isfinite(found.influence).all()
    assert found.value == pytest.approx(measure(name, ROWS[outcome]).value)
    assert abs(float(found.influence.sum())) < 1e-6 * max(1.0, float(np.abs(found.influence).sum()))


@pytest.mark.parametrize("name", ["accuracy", "brier", "error_rate"])
def test_losses_and_hits_of_rows_make_the_measure(name: str) -> None:
    rows, form = ROWS["binary"], named(name).forms["binary"]
    value = measure(name, rows).value
    if form.hits is not None:
        assert float(np.mean(form.hits(rows))) == pytest.approx(value)
    if form.losses is not None:
        assert float(np.mean(form.losses(rows))) == pytest.approx(value)
    assert form.hits is not None or form.losses is not None


@given(shift=st.floats(0.01, 0.99))
def test_ranks_alone_make_the_ranking_measures(shift: float) -> None:
    rows = ROWS["binary"]
    assert isinstance(rows, Scored)
    squeezed = Scored(
        key=rows.key, outcomes=rows.outcomes, scores=rows.scores ** (0.5 + shift), threshold=rows.threshold
    )
    for name in ("auc", "gini", "average_precision", "ks"):
        assert measure(name, squeezed).value == pytest.approx(measure(name, rows).value)


def test_what_is_taken_is_noted_and_only_meanwhile() -> None:
    with uses_noted() as names:
        measure("auc", ROWS["binary"])
        with uses_noted() as inner:
            measure("brier", ROWS["binary"])
    measure("kappa", ROWS["binary"])
    assert "auc" in names
    assert "brier" in inner
    assert "kappa" not in names | inner


def test_programs_of_measures_are_told_apart() -> None:
    digests = [program_of(one.name) for one in MEASURES]
    assert len(set(digests)) == len(digests)
    assert program_of("never_heard_of") == "absent"
