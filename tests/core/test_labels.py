"""Labels that the data contradict: against a slow reference, on planted noise, as marked; evaluation rows untouched."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from brookfall.core.check.bench import Bench
from brookfall.core.check.data.labels import MARKED, SCREENED, as_marked, share_removed
from brookfall.core.evidence.chart import SuspectList
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob, ScoreReading
from brookfall.core.fit.without_suspects import screened
from brookfall.core.measure.confident_learning import contradicted, far_off, noise
from brookfall.core.measure.scored import Numbers
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.evidence_file import evidence_of
from brookfall.core.retest.run import retest
from brookfall.core.submission.label_marks import LabelMark, outcome_of, problem_with
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, Submitted, subject_from
from brookfall.core.table.change import DropRepeats
from tests.conftest import files_of, small_plan
from tests.made import examples, number_rows, said, subject_of_frame

N = 600


def slow_noise(labels: list[int], probabilities: Numbers) -> tuple[list[list[int]], Numbers]:
    """The confident joint as the paper's algorithm 1 puts it, row by row and class by class."""
    classes = probabilities.shape[1]
    thresholds = []
    for one in range(classes):
        mine = [probabilities[i, one] for i, label in enumerate(labels) if label == one]
        thresholds.append(sum(mine) / len(mine) if mine else float("inf"))
    counts = [[0] * classes for _ in range(classes)]
    for i, label in enumerate(labels):
        best = None
        for one in range(classes):
            above = probabilities[i, one] >= thresholds[one] - 1e-12
            if above and (best is None or probabilities[i, one] > probabilities[i, best]):
                best = one
        if best is not None:
            counts[label][best] += 1
    joint = np.zeros((classes, classes))
    for one in range(classes):
        total, held = sum(counts[one]), labels.count(one)
        for other in range(classes):
            share = counts[one][other] / total if total else float(one == other)
            joint[one, other] = share * held / len(labels)
    return counts, joint


@given(seed=st.integers(0, 10**6), classes=st.integers(2, 5), n=st.integers(4, 60), sharp=st.floats(0.2, 3))
@examples(150)
def test_the_confident_joint_agrees_with_the_slow_reference(seed: int, classes: int, n: int, sharp: float) -> None:
    rng = np.random.default_rng(seed)
    labels = rng.integers(0, classes, n)
    probabilities = rng.dirichlet(np.full(classes, sharp), n)
    counts, joint = slow_noise(labels.tolist(), probabilities)
    found = noise(labels, probabilities)
    assert found.counts.tolist() == counts
    assert found.joint == pytest.approx(joint)
    assert found.joint.sum() == pytest.approx(1.0)
    off = sum(counts[i][j] for i in range(classes) for j in range(classes) if i != j)
    assert len(contradicted(labels, probabilities).rows) == off
    shares = found.labelled_given_true
    known = np.isfinite(shares[0])
    assert shares[:, known].sum(axis=0) == pytest.approx(1.0)


def test_suspects_are_ranked_by_how_much_surer_the_other_class_is() -> None:
    labels = np.array([0, 0, 0, 0, 1, 1, 1, 1])
    sure = np.array([0.9, 0.9, 0.2, 0.05, 0.1, 0.1, 0.1, 0.7])
    found = contradicted(labels, np.column_stack([sure, 1 - sure]))
    assert found.rows.tolist() == [3, 2, 7]
    assert found.suggested[3] == 1.0
    assert found.margin[3] == pytest.approx(0.9)


def planted(share: float = 0.12, outcome: str = "multiclass") -> tuple[Subject, np.ndarray]:
    rng = np.random.default_rng(12)
    kind = rng.integers(0, 3 if outcome == "multiclass" else 2, N)
    centre = np.array([[0.0, 0.0], [3.5, 0.0], [0.0, 3.5]])
    place = centre[kind] + rng.normal(size=(N, 2))
    wrong = rng.random(N) < share
    label = np.where(wrong, (kind + 1) % (3 if outcome == "multiclass" else 2), kind)
    frame = pd.DataFrame(
        {"x": place[:, 0].round(6), "y": place[:, 1].round(6), "label": np.array(["a", "b", "c"])[label]}
    )
    return subject_of_frame(frame, "label", Recipe(family="logistic", seed=2), outcome), wrong  # type: ignore[arg-type]


def plan(**changes: Any) -> Plan:
    return small_plan(checks=("labels",), **changes)


def check(of: Subject, *marks: LabelMark) -> Exhibit:
    main = {"binary": "auc", "multiclass": "balanced_accuracy", "number": "r2"}[of.outcome]
    (found,) = retest(Bench(of, plan(main_measure=main), marks))
    assert found.state == "done", found.answer
    return found


def value(found: Exhibit, measure: str, model: str = "recipe") -> float:
    (one,) = [e for e in found.estimates if e.measure == measure and e.model == model]
    assert one.value is not None
    return one.value


@pytest.mark.parametrize("outcome", ["binary", "multiclass"])
def test_planted_wrong_labels_are_found(outcome: str) -> None:
    of, wrong = planted(outcome=outcome)
    found = check(of)
    series = found.series["suspects"]
    rows = np.array(series["row"], dtype=int)
    seen = Bench(of, plan(main_measure="auc" if outcome == "binary" else "balanced_accuracy")).split.cross_validated
    recall = np.isin(np.flatnonzero(wrong & np.isin(np.arange(N), seen)), rows).mean()
    assert recall > 0.65
    assert wrong[rows].mean() > 0.75
    assert series["margin"] == sorted(series["margin"], reverse=True)
    truth = float(wrong[np.isin(np.arange(N), seen)].mean())
    assert value(found, "share_of_wrong_labels_at_least") == 0 < truth < value(found, "share_of_wrong_labels_at_most")
    assert not [one for one in found.estimates if one.measure == "share_of_wrong_labels"]
    assert "Unseen rows have wrong labels too" in said(found)
    listed = next(chart for chart in found.charts if isinstance(chart, SuspectList))
    assert listed.found == len(rows)
    assert np.all(np.array(series["label"]) != np.array(series["suggested"]))


def test_screening_sees_no_held_out_row_and_leaves_the_scored_rows_as_they_are() -> None:
    of, wrong = planted()
    bench = Bench(of, plan(main_measure="balanced_accuracy"))
    fold = bench.split.long_folds[0]
    fit = replace(bench.fit(fold.train), screened=4)

    def scores(job: FitJob) -> Numbers:
        (reading,) = job.readings
        assert np.isin(job.fit.train, fold.train).all()
        assert np.isin(reading.rows, fold.train).all()
        return execute(job, of).readings[reading.key]

    kept = screened(fit, of, scores)
    gone = np.setdiff1d(fold.train, kept)
    assert wrong[gone].mean() > 0.7
    read = execute(FitJob(fit, (ScoreReading(fold.test),)), of)
    plain = execute(FitJob(replace(bench.fit(kept)), (ScoreReading(fold.test),)), of)
    assert np.array_equal(next(iter(read.readings.values())), next(iter(plain.readings.values())))
    found = check(of)
    (before,) = [e for e in found.estimates if e.measure == "error_rate" and e.model == "recipe"]
    (after,) = [e for e in found.estimates if e.measure == "error_rate" and e.model == SCREENED]
    assert before.n == after.n == len(bench.split.cross_validated)


def test_marks_change_what_is_learned_and_nothing_that_is_scored() -> None:
    of, wrong = planted(0.3)
    names = of.target.classes
    rows = np.flatnonzero(wrong).tolist()
    truly = [LabelMark(row=row, verdict="corrected", label=names[(of.target.codes[row] - 1) % 3]) for row in rows]
    found = check(of, *truly)
    assert value(found, "error_rate", MARKED) < value(found, "error_rate")
    assert "Learning from the labels as marked removes" in said(found)
    changes = next(table for table in found.tables if table.title.startswith("What cleaning"))
    assert changes.rows[-1][0].text == f"as marked (0 wrong, {len(rows)} corrected, 0 kept)"
    assert value(found, "error_rate") == value(check(of), "error_rate")
    kept = check(of, *(LabelMark(row=row, verdict="kept") for row in rows))
    assert MARKED not in {e.model for e in kept.estimates}


def test_wrong_rows_are_left_out_of_training_and_corrected_ones_learned_anew() -> None:
    of, _ = planted()
    first, second = np.flatnonzero(of.target.codes == 0)[:2].tolist()
    marks = (LabelMark(row=first, verdict="wrong"), LabelMark(row=second, verdict="corrected", label="c"))
    bench = Bench(of, plan(main_measure="balanced_accuracy"), marks)
    fit = as_marked(bench, bench.fit(np.arange(300)))
    assert fit is not None
    assert fit.relabelled is not None
    assert first not in fit.train
    assert (fit.relabelled.rows.tolist(), fit.relabelled.outcomes) == ([second], (2.0,))
    elsewhere = as_marked(bench, bench.fit(np.arange(400, 500)))
    assert elsewhere is not None
    assert elsewhere.relabelled is None
    assert as_marked(Bench(of, bench.plan), bench.fit(np.arange(300))) is None


def test_marks_follow_their_rows_when_repeats_are_left_out() -> None:
    lines = ["id,x,flag", *(f"r{i},{i % 40 / 10},{'yes' if i % 3 else 'no'}" for i in range(120))]
    lines[3] = lines[2]
    data = [{"name": "rows", "path": "data/rows.csv", "roles": {"target": "flag", "positive": "yes"}}]
    package = package_from_files(files_of("\n".join(lines), data=data, claims=[]))
    came = Submitted(package.submission, package.table, package.beside, package.files)
    of = subject_from(came, changes=[DropRepeats(columns=("id", "x", "flag"))])
    assert of.table.n_rows == 119
    assert of.places_of(np.array([0, 1, 2, 50])).tolist() == [0, 1, -1, 49]
    assert of.submitted_rows(np.array([0, 49])).tolist() == [0, 50]
    whole = subject_from(came)
    assert whole.places_of(np.array([7])).tolist() == [7]
    bench = Bench(of, plan(), (LabelMark(row=50, verdict="wrong"),))
    fit = as_marked(bench, bench.fit(np.arange(100)))
    assert fit is not None
    assert np.setdiff1d(np.arange(100), fit.train).tolist() == [49]


def test_marks_of_another_outcome_take_no_part_and_are_told() -> None:
    of, _ = planted()
    row = int(np.flatnonzero(of.target.codes == 0)[0])
    stray = LabelMark(row=row, verdict="corrected", label="gone")
    bench = Bench(of, plan(main_measure="balanced_accuracy"), (stray,))
    assert as_marked(bench, bench.fit(np.arange(300))) is None
    assert check(of, stray).lines[-1] == "1 mark of another outcome or row takes no part."
    two = check(of, stray, LabelMark(row=9_999, verdict="wrong"), LabelMark(row=row + 1, verdict="wrong"))
    assert two.lines[-1] == "2 marks of another outcome or row take no part."
    assert MARKED in {e.model for e in two.estimates}


@pytest.mark.parametrize(
    ("mark", "problem"),
    [
        (LabelMark(row=N, verdict="wrong"), "There is no row 601."),
        (LabelMark(row=0, verdict="corrected", label="d"), "There is no class 'd'; classes are a, b, c."),
        (LabelMark(row=0, verdict="corrected", label="b"), None),
    ],
)
def test_a_mark_that_can_not_be_is_told(mark: LabelMark, problem: str | None) -> None:
    assert problem_with(mark, planted()[0]) == problem


def test_a_correction_says_what_to_and_nothing_else_does() -> None:
    with pytest.raises(ValidationError, match="says what it should have been"):
        LabelMark(row=1, verdict="corrected")
    with pytest.raises(ValidationError, match="says what it should have been"):
        LabelMark(row=1, verdict="kept", label="a")


def numbers() -> Subject:
    rng = np.random.default_rng(4)
    x = rng.normal(size=N)
    size = 3 * x + rng.normal(size=N)
    size[:6] += 40
    frame = pd.DataFrame({"x": x.round(6), "z": rng.normal(size=N).round(6), "size": size.round(6)})
    return subject_of_frame(frame, "size", Recipe(family="linear"), "number")


def test_outcomes_far_off_are_suspects_of_a_number_and_can_be_corrected() -> None:
    of = numbers()
    found = check(of)
    rows = np.array(found.series["suspects"]["row"], dtype=int)
    seen = set(Bench(of, plan(main_measure="r2")).split.cross_validated.tolist())
    assert {row for row in range(6) if row in seen} <= set(rows.tolist())
    assert "an outcome far from" in found.answer
    mark = LabelMark(row=0, verdict="corrected", label="1.5")
    assert outcome_of(mark, of) == 1.5
    assert "is no number" in (problem_with(LabelMark(row=0, verdict="corrected", label="high"), of) or "")
    assert value(check(of, mark), "mse") == value(found, "mse")
    with pytest.raises(ValueError, match="is no number"):
        outcome_of(LabelMark(row=0, verdict="corrected", label="nan"), of)


def test_robust_scores_are_the_medians() -> None:
    outcomes = np.array([1.0, 2.0, 3.0, 4.0, 5.0, 60.0])
    found = far_off(outcomes, np.zeros(6))
    assert found.rows.tolist() == [5]
    assert found.margin[5] == pytest.approx((60 - 3.5) / (1.4826 * 1.5))


def test_an_error_that_is_not_there_can_not_be_removed() -> None:
    rows = number_rows(3)
    assert share_removed(np.zeros(len(rows)), np.zeros(len(rows)), rows).value is None


def test_evidence_carries_the_marks_for_a_replay() -> None:
    of, _ = planted()
    marks = (LabelMark(row=5, verdict="wrong"),)
    evidence = evidence_of("0" * 64, plan(), of.roles, (), marks=marks)
    assert type(evidence).model_validate_json(evidence.to_json()).marks == marks


def test_a_marked_random_sample_gives_the_share_itself_and_the_error_against_right_labels() -> None:
    of, wrong = planted()
    before = check(of)
    listed = next(chart for chart in before.charts if isinstance(chart, SuspectList))
    rows = [int(row or 0) for row in before.series[listed.sample]["submitted"]]
    assert 40 < len(rows) <= 80
    classes = list(listed.classes)
    marks = [
        LabelMark(row=row, verdict="corrected", label=classes[(classes.index(_label(of, row)) - 1) % 3])
        if wrong[row]
        else LabelMark(row=row, verdict="kept")
        for row in rows
    ]
    found = check(of, *marks)
    (share,) = (one for one in found.estimates if one.measure == "share_of_wrong_labels")
    seen = Bench(of, plan(main_measure="balanced_accuracy")).split.cross_validated
    assert share.low <= wrong[seen].mean() <= share.high
    assert share.n == len(rows)
    assert "rows drawn at random" in said(found)
    error = {one.model: one.value for one in found.estimates if one.measure == "error_rate"}
    assert error["marked"] < error["recipe"]
    assert "Against the labels as marked" in said(found)
    # One row without a mark, and there is no share again.
    again = check(of, *marks[1:])
    assert not [one for one in again.estimates if one.measure == "share_of_wrong_labels"]


def _label(of: Subject, row: int) -> str:
    return of.target.classes[int(of.target.values[row])]
