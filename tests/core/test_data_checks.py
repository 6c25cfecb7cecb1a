"""Question 1: what is wrong with the data is found, and what is not wrong is left alone."""

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.measure.shift import shift_of
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from brookfall.core.table.duplicate_rows import group_of_each
from brookfall.core.table.infer import column_from_text
from tests.conftest import small_plan
from tests.made import said, subject_of_frame, table_of

LOGISTIC = Recipe(family="logistic")


def frame(n: int = 600, seed: int = 3) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=n).round(3), rng.normal(size=n).round(3)
    y = np.where(rng.random(n) < 1 / (1 + np.exp(-x)), "yes", "no")
    return pd.DataFrame({"x": x, "z": z, "c": rng.choice(["a", "b", "c"], n), "y": y})


def exhibit(subject: Subject, check: str, **plan: object) -> Exhibit:
    (found,) = retest(Bench(subject, small_plan(checks=(check,), **plan)))
    assert found.state == "done", found.answer
    return found


def values(found: Exhibit, measure: str) -> dict[str | None, float | None]:
    return {estimate.feature: estimate.value for estimate in found.estimates if estimate.measure == measure}


def test_the_strongest_tie_comes_first_with_its_direction() -> None:
    found = exhibit(subject_of_frame(frame(), "y", LOGISTIC), "association")
    ties = values(found, "association")
    assert next(iter(ties)) == "x"
    assert (ties["x"] or 0) > 0.3
    assert "'x' is most closely associated with 'y': r is 0." in found.answer
    assert "1 of 3 features" in found.answer
    p = values(found, "association_p_value_holm")
    assert (p["x"] or 1) < 0.001 < (p["z"] or 0)
    assert all(estimate.value is None or estimate.low is not None or estimate.note for estimate in found.estimates)


def test_weights_that_are_not_used_are_said_not_to_be() -> None:
    rows = frame()
    rows["w"] = 2
    weighted = exhibit(subject_of_frame(rows, "y", None, weight="w"), "association")
    assert "whatever their weight or group" in said(weighted)
    assert "whatever their weight" not in said(exhibit(subject_of_frame(frame(), "y", None), "association"))


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_every_outcome_has_its_ties_leaks_repeats_and_shifts(outcome: str) -> None:
    rows = frame()
    targets = {"binary": rows["y"], "multiclass": rows["y"] + rows["c"], "number": rows["x"] * 2 + rows["z"]}
    rows["t"] = targets[outcome]
    subject = subject_of_frame(rows, "t", None, outcome, ignore=["y"])  # type: ignore[arg-type]
    plan = {"main_measure": "r2"} if outcome == "number" else {}
    made = {check: exhibit(subject, check, **plan) for check in ("association", "leaks", "repeats")}
    best = {"binary": "x", "multiclass": "c", "number": "x"}[outcome]
    assert next(iter(values(made["association"], "association"))) == best
    assert made["leaks"].estimates[0].feature == best
    assert made["leaks"].estimates[0].measure == {"binary": "auc", "multiclass": "auc_ovr", "number": "r2"}[outcome]


def leak_before(rows: pd.DataFrame) -> None:
    rows["written_after"] = np.where(rows["y"] == "yes", "closed", "open")


def leak_in_gaps(rows: pd.DataFrame) -> None:
    rows["cost"] = np.where(rows["y"] == "yes", "12", "")


def leak_in_order(rows: pd.DataFrame) -> None:
    rows["stamp"] = np.where(rows["y"] == "yes", 1000, 2000) + np.arange(len(rows))


@pytest.mark.parametrize(
    ("plant", "feature"),
    [(leak_before, "written_after"), (leak_in_gaps, "gaps in cost"), (leak_in_order, "stamp")],
)
def test_a_column_that_gives_the_answer_away_is_found(plant: Callable[[pd.DataFrame], None], feature: str) -> None:
    rows = frame()
    plant(rows)
    found = exhibit(subject_of_frame(rows, "y", None), "leaks")
    assert found.standing == "outside"
    assert found.estimates[0].feature == feature
    assert "alone all but decide" in found.answer
    assert feature in found.answer.lower()
    assert "decide 'y': AUC " in found.answer.replace("decides", "decide")
    assert "Was it known when the score is needed?" in found.answer


def test_nothing_leaks_where_nothing_leaks() -> None:
    rows = frame()
    rows["noise"] = np.random.default_rng(1).integers(0, 400, len(rows)).astype(str)
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC), "leaks")
    assert found.standing == "within"
    assert "No column decides 'y' by itself" in found.answer
    # Unique values tell nothing of rows they were not learned from, however well they would memorise.
    assert (values(found, "auc")["noise"] or 1) < 0.6


def test_an_identifier_among_the_features_is_named() -> None:
    rows = frame()
    rows["ref"] = [f"R{i}" for i in range(len(rows))]
    rows["row"] = np.random.default_rng(2).permutation(len(rows))
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC), "leaks")
    assert "Among the features, 'ref' (600 values) and 'row' (600 values) look like identifiers." in found.answer


def test_test_rows_before_training_rows_are_counted_where_the_owner_made_the_parts() -> None:
    rows = frame(n=100)
    rows["on"] = [str(np.datetime64("2024-01-01") + i) for i in range(100)]
    rows["part"] = ["test"] * 20 + ["training"] * 80
    subject = subject_of_frame(rows, "y", LOGISTIC, time="on", part="part")
    found = exhibit(subject, "leaks", parts={"kind": "given"})
    assert values(found, "share_before_training_ends") == {"on": 1.0}
    assert found.standing == "outside"
    rows["part"] = ["training"] * 80 + ["test"] * 20
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC, time="on", part="part"), "leaks", parts={"kind": "given"})
    assert values(found, "share_before_training_ends") == {"on": 0.0}
    assert found.standing == "within"


def test_repeats_contradictions_and_shared_rows_are_counted() -> None:
    rows = frame(n=100)
    rows["id"] = [f"i{i}" for i in range(100)]
    rows["part"] = ["training"] * 70 + ["test"] * 30
    rows.loc[90, ["x", "z", "c", "y"]] = rows.loc[3, ["x", "z", "c", "y"]]
    rows.loc[91, ["x", "z", "c"]] = rows.loc[4, ["x", "z", "c"]]
    rows.loc[91, "y"] = "no" if rows.loc[4, "y"] == "yes" else "yes"
    rows.loc[92, "id"] = "i5"
    subject = subject_of_frame(rows, "y", LOGISTIC, identifier=["id"], part="part")
    found = exhibit(subject, "repeats", parts={"kind": "given"})
    assert values(found, "repeated_share") == {None: 0.01}
    assert values(found, "contradicted_share") == {None: 0.02}
    assert values(found, "shared_share") == {None: pytest.approx(1 / 30), "id": pytest.approx(1 / 30)}
    assert found.standing == "outside"
    assert "1 of 30 test rows shares its 'id' with a training row." in found.answer


def test_rows_that_repeat_each_other_with_a_gap_are_counted_by_the_profile() -> None:
    rows = frame(n=100).astype(str)
    rows.loc[3, "x"] = ""
    rows.loc[90] = rows.loc[3]
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC), "profile")
    assert "2 rows have a gap in a feature, and 1 row repeats another's features and outcome." in found.answer


def test_rows_whose_first_hashes_meet_are_told_apart_by_the_second(monkeypatch: pytest.MonkeyPatch) -> None:
    keys = np.array([[7, 2], [7, 1], [3, 9], [7, 2]], dtype=np.uint64)
    monkeypatch.setattr("brookfall.core.table.duplicate_rows.row_keys", lambda _: keys)
    assert group_of_each(table_of(frame(n=4))).tolist() == [2, 1, 0, 2]


def test_groups_that_stand_in_two_parts_are_counted() -> None:
    rows = frame(n=100)
    rows["home"] = [f"h{i // 2}" for i in range(100)]
    rows["part"] = ["training", "test"] * 50
    found = exhibit(
        subject_of_frame(rows, "y", LOGISTIC, group="home", part="part"), "repeats", parts={"kind": "given"}
    )
    assert values(found, "shared_share")["home"] == 1.0
    assert found.standing == "outside"


def test_a_part_that_comes_from_elsewhere_is_told() -> None:
    rows = frame(n=1200)
    rows["part"] = ["training"] * 700 + ["test"] * 500
    rows.loc[rows["part"] == "test", "z"] += 2
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC, part="part"), "shift", parts={"kind": "given"})
    assert found.standing == "outside"
    assert found.answer.startswith("Moved away from the training rows: 'z' (test, PSI")
    assert "A model can tell test from training rows: AUC 0.9" in found.answer
    assert (values(found, "psi")["x"] or 1) < 0.1


def test_psi_has_no_interval_and_is_outside_only_beyond_chance_too() -> None:
    rows = frame(n=90, seed=2)
    rows["part"] = ["training"] * 50 + ["test"] * 40
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC, part="part"), "shift", parts={"kind": "given"})
    moved = [one for one in found.estimates if one.quantity == "psi"]
    assert all(one.low is None and "by chance on average" in str(one.note) for one in moved)
    beyond = [one for one in moved if one.value > 0.25]
    assert beyond, "so few rows go beyond the limit by chance"
    assert Standing.UNSETTLED in {one.standing for one in beyond}


def test_a_psi_beyond_its_limit_by_chance_is_not_called_kept() -> None:
    rows = frame(n=64, seed=5)[["x", "y"]]
    rows["part"] = ["training"] * 32 + ["test"] * 32
    found = exhibit(subject_of_frame(rows, "y", LOGISTIC, part="part"), "shift", parts={"kind": "given"})
    (moved,) = [one for one in found.estimates if one.quantity == "psi"]
    assert moved.value > 0.25
    assert (moved.standing, found.standing) == (Standing.UNSETTLED, Standing.UNSETTLED)
    assert found.answer.startswith("Too few rows to tell whether a feature moved by more than its limit; ")


def test_psi_of_rows_that_did_not_move_is_beyond_its_critical_value_as_often_as_it_says() -> None:
    rng = np.random.default_rng(4)
    beyond = 0
    for _ in range(400):
        before, after = (column_from_text("x", [f"{one:.6f}" for one in rng.normal(size=n)]) for n in (300, 200))
        shift = shift_of(before, after)
        beyond += shift.psi.value > shift.critical
        assert shift.critical_at(0.95) == pytest.approx(shift.critical)
    assert 0.02 < beyond / 400 < 0.10


def test_parts_drawn_at_random_are_alike() -> None:
    found = exhibit(subject_of_frame(frame(n=1200, seed=4), "y", LOGISTIC), "shift")
    assert found.standing is None
    assert found.answer.startswith("These parts were drawn at random here, so what moved between them is chance")
    assert "A model can't tell test from training rows" in said(found)


def test_a_file_of_later_rows_is_compared_too() -> None:
    subject = subject_of_frame(frame(n=400), "y", None)
    later = frame(n=300, seed=9)
    later["c"] = "d"
    moved = Subject(subject.table, subject.roles, None, (), "rows.csv", new_rows={"march": table_of(later[["x", "c"]])})
    found = exhibit(moved, "shift")
    by_part = {(estimate.part, estimate.feature): estimate for estimate in found.estimates if estimate.measure == "psi"}
    assert by_part["march", "c"].standing == "outside"
    assert by_part["march", "x"].standing == "within"
    assert ("march", "z") not in by_part


def test_too_few_rows_are_not_judged() -> None:
    rows = frame(n=40)
    rows["part"] = ["training"] * 25 + ["test"] * 15
    found = exhibit(subject_of_frame(rows, "y", None, part="part"), "shift", parts={"kind": "given"})
    assert found.standing is Standing.UNSETTLED
    assert all(estimate.standing is None for estimate in found.estimates)


def test_the_same_seed_gives_the_same_bits_in_any_process() -> None:
    subject = subject_of_frame(frame(), "y", LOGISTIC)
    bench = Bench(subject, small_plan(checks=("association", "leaks", "repeats", "shift")))
    assert [e.estimates for e in retest(bench)] == [e.estimates for e in retest(bench, workers=2)]
