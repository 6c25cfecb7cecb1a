"""Supplied scores: read, refused where they don't fit the data, and tested like any other model."""

from collections.abc import Mapping
from typing import Any

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import standard_measure
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import Package, package_from_files
from brookfall.core.submission.subject import subject_of
from tests.conftest import declaration, small_plan
from tests.core.test_outcomes import people

MODEL = declaration()["model"]


def files(
    outcome: str, scores: pd.DataFrame, entry: Mapping[str, object], data: pd.DataFrame | None = None, **changes: Any
) -> dict[str, bytes]:
    import yaml

    frame = people() if data is None else data
    frame = frame.assign(id=[f"r{i}" for i in range(len(frame))])
    target = {"binary": "flag", "multiclass": "kind", "number": "size"}[outcome]
    roles: dict[str, object] = {
        "target": target,
        "identifier": ["id"],
        "protected": ["sex", "age"],
        "ignore": [n for n in ("flag", "kind", "size", "house", "day", "weight") if n != target]
        + [n for n in ("p",) if n in frame],
    }
    if outcome == "binary":
        roles["positive"] = "yes"
    if "part" in frame:
        roles["part"] = "part"
    declared = {
        "brookfall": 1,
        "model": {**MODEL, "outcome": outcome},
        "data": [{"name": "rows", "path": "data/rows.csv", "roles": roles}],
        "predictions": [{"path": "predictions/test.csv", "data": "rows", **entry}],
        **changes,
    }
    return {
        "submission.yaml": yaml.safe_dump(declared).encode(),
        "data/rows.csv": frame.to_csv(index=False).encode(),
        "predictions/test.csv": scores.to_csv(index=False).encode(),
    }


def binary_scores(rows: range = range(300, 420), seed: int = 5) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    frame = people().iloc[list(rows)]
    p = 1 / (1 + np.exp(-(frame["x"] * 2 - frame["z"])))
    return pd.DataFrame({"id": [f"r{i}" for i in rows], "p": p.round(4)}).sample(
        frac=1, random_state=int(rng.integers(99))
    )


BY_KEY = {"key": "id", "score": "p", "part": "test"}


def opened(*args: object, **changes: Any) -> Package:
    return package_from_files(files(*args, **changes))  # type: ignore[arg-type]


def exhibits(package: Package, **changes: Any) -> dict[str, Exhibit]:
    outcome = package.submission.model.outcome
    decided = {"threshold": 0.5} if subject_of(package).threshold is None and outcome == "binary" else {}
    plan = small_plan(main_measure=standard_measure(outcome), **{**decided, **changes})
    found = {e.check: e for e in retest(Bench(subject_of(package), plan))}
    assert all(e.state in ("done", "not_applicable") for e in found.values()), found
    return found


def test_scores_alone_are_a_model_like_any_other() -> None:
    package = opened("binary", binary_scores(), BY_KEY)
    supplied = subject_of(package).supplied
    assert supplied is not None
    assert list(supplied.parts) == ["test"]
    assert supplied.parts["test"].tolist() == list(range(300, 420))
    found = exhibits(package)
    assert found["cross_validation"].state == "not_applicable"
    assert "recipe to refit" in found["cross_validation"].answer
    assert found["gap"].state == "not_applicable"
    for check in ("holdout", "threshold", "baseline", "groups", "combinations"):
        assert found[check].state == "done", check
        assert {e.model for e in found[check].estimates} <= {"scores", "baseline"}
    auc = next(e for e in found["holdout"].estimates if e.measure == "auc")
    assert (auc.part, auc.n) == ("test", 120)
    assert "By the supplied scores" in found["holdout"].answer
    assert found["baseline"].standing == "within"


def test_scores_alone_that_nobody_decides_are_still_measured() -> None:
    found = exhibits(opened("binary", binary_scores(), BY_KEY, recipe={"family": "logistic"}), threshold=None)
    assert {e.measure for e in found["holdout"].estimates if e.value is not None} >= {"auc", "brier"}
    assert {e.value for e in found["holdout"].estimates if e.measure == "accuracy"} == {None}
    assert "No threshold is declared" in found["groups"].answer
    assert "decisions differ" not in found["claims"].answer


def test_decisions_that_came_with_the_scores_need_no_threshold() -> None:
    scores = binary_scores()
    given = scores.assign(said=np.where(scores["p"] >= 0.3, "yes", "no"))
    found = exhibits(opened("binary", given, {**BY_KEY, "label": "said"}), threshold=None)
    (accuracy,) = [e for e in found["holdout"].estimates if e.measure == "accuracy"]
    truth = people().iloc[scores["id"].str[1:].astype(int)]["flag"].to_numpy() == "yes"
    assert accuracy.value == pytest.approx(((scores["p"] >= 0.3).to_numpy() == truth).mean())
    assert found["groups"].state == "done"


def test_scores_and_a_refitted_recipe_stand_side_by_side() -> None:
    package = opened("binary", binary_scores(), BY_KEY, recipe={"family": "logistic"})
    found = exhibits(package)
    for check in ("holdout", "threshold", "baseline", "groups", "combinations"):
        assert {"recipe", "scores"} <= {e.model for e in found[check].estimates}, check
    (strip, *_) = found["holdout"].charts
    assert strip.kind == "strip"
    labels = [row.label for row in strip.groups[0].rows]
    assert "test (supplied scores)" in labels
    assert "test (refitted here)" in labels
    assert {e.model for e in found["gap"].estimates} == {"recipe"}


def test_training_and_test_scores_have_a_gap() -> None:
    data = people().assign(part=["train"] * 300 + ["test"] * 120)
    scores = binary_scores(range(420))
    package = opened("binary", scores, {"key": "id", "score": "p"}, data)
    found = exhibits(package, parts={"kind": "given"})
    gap = next(e for e in found["gap"].estimates if e.measure == "auc_gap")
    assert (gap.model, gap.part, gap.standing) == ("scores", "training", gap.standing)
    assert gap.low is not None
    assert gap.low < 0.02


def test_a_claim_on_the_same_scores_must_agree_to_its_decimals() -> None:
    exact = next(
        e.value for e in exhibits(opened("binary", binary_scores(), BY_KEY))["holdout"].estimates if e.measure == "auc"
    )
    assert exact is not None

    def verdicts(*claims: dict[str, object]) -> list[str | None]:
        return [e.verdict for e in claimed(*claims).estimates]

    def claimed(*claims: dict[str, object]) -> Exhibit:
        return exhibits(opened("binary", binary_scores(), BY_KEY, claims=list(claims)), checks=["claims"])["claims"]

    assert verdicts({"measure": "auc", "part": "test", "value": f"{exact:.4f}"}) == ["reproduced"]
    # One step in the last decimal beyond: no interval excuses it.
    assert verdicts({"measure": "auc", "part": "test", "value": f"{exact + 0.002:.3f}"}) == ["not_reproduced"]
    assert verdicts({"measure": "auc", "part": "test", "value": f"{exact - 0.002:.3f}"}) == ["not_reproduced"]
    # What two libraries may differ by is no fault, however many decimals the claim has; more than that is.
    assert verdicts({"measure": "auc", "part": "test", "value": f"{exact + 0.00049:.7f}"}) == ["reproduced"]
    assert verdicts({"measure": "auc", "part": "test", "value": f"{exact - 0.00051:.7f}"}) == ["not_reproduced"]
    # Too low on identical scores is as wrong as too high: other scores or other rows were measured.
    low = claimed({"measure": "auc", "part": "test", "value": f"{exact - 0.1:.3f}"})
    assert low.standing is Standing.OUTSIDE
    assert low.answer.startswith("The one claim is not reproduced: AUC, test was claimed as")
    assert claimed({"measure": "auc", "part": "validation", "value": "0.8"}).standing is Standing.UNSETTLED
    assert verdicts({"measure": "auc", "part": "validation", "value": "0.8"}) == ["cannot_be_checked"]
    assert verdicts({"measure": "auc", "method": "cross_validation", "value": "0.8"}) == ["cannot_be_checked"]


def test_a_points_scale_is_ranked_and_not_calibrated() -> None:
    points = binary_scores().assign(p=lambda f: (f["p"] * 600 + 200).round())
    found = exhibits(opened("binary", points, BY_KEY, recipe=None))
    by_name = {e.measure: e for e in found["holdout"].estimates}
    assert by_name["auc"].value == pytest.approx(0.97, abs=0.04)
    for name in ("brier", "log_loss", "calibration_slope", "expected_calibration_error"):
        assert by_name[name].value is None
        assert "not probabilities" in (by_name[name].note or "")
    assert not any("calibration" in name for name in found["holdout"].series)


def test_a_given_label_is_the_decision() -> None:
    labelled = binary_scores().assign(said=lambda f: np.where(f["p"] > 0.9, "yes", "no"))
    found = exhibits(opened("binary", labelled, {**BY_KEY, "label": "said"}))
    selected = next(e for e in found["holdout"].estimates if e.measure == "selection_rate")
    assert selected.value == pytest.approx((labelled["p"] > 0.9).mean())


def test_rows_without_a_score_are_left_out_and_said() -> None:
    gappy = binary_scores().reset_index(drop=True).astype({"p": object})
    gappy.loc[:9, "p"] = ""
    found = exhibits(opened("binary", gappy, BY_KEY))
    auc = next(e for e in found["holdout"].estimates if e.measure == "auc")
    assert auc.n == 110
    assert auc.note == "10 rows without a score left out"


def test_scores_of_classes_and_of_numbers() -> None:
    rng = np.random.default_rng(8)
    p = rng.dirichlet([1, 1, 1], 420)
    p[np.arange(420), pd.factorize(people()["kind"], sort=True)[0]] += 0.5
    p = (p / p.sum(axis=1, keepdims=True)).round(6)
    frame = pd.DataFrame(p, columns=["pl", "pm", "ps"])
    entry: dict[str, object] = {"scores": {"large": "pl", "middle": "pm", "small": "ps"}}
    found = exhibits(opened("multiclass", frame, entry))
    assert next(e for e in found["holdout"].estimates if e.measure == "auc").value is not None
    labels = exhibits(opened("multiclass", pd.DataFrame({"said": people()["kind"]}), {"label": "said"}))
    by_name = {e.measure: e for e in labels["holdout"].estimates if e.class_ is None}
    assert by_name["accuracy"].value == 1
    assert by_name["auc"].note == "no score for each class was given"
    numbers = pd.DataFrame({"y_hat": people()["size"] + rng.normal(size=420)})
    found = exhibits(opened("number", numbers, {"value": "y_hat"}))
    rmse = next(e for e in found["holdout"].estimates if e.measure == "rmse")
    assert (rmse.part, rmse.value) == ("all", pytest.approx(1.0, abs=0.1))
    assert found["groups"].state == "done"


def test_the_score_column_may_stand_in_the_data() -> None:
    data = people().assign(p=lambda f: (1 / (1 + np.exp(-f["x"]))).round(5))
    made = files("binary", data[["p"]], {"path": "data/rows.csv", "score": "p"}, data)
    found = exhibits(package_from_files(made))
    assert next(e for e in found["holdout"].estimates if e.measure == "auc").n == 420


@pytest.mark.parametrize(
    ("change", "entry", "said", "row"),
    [
        (lambda f: f.assign(id="r301"), BY_KEY, "stands there twice", 3),
        (lambda f: f.assign(id=[f"q{i}" for i in range(len(f))]), BY_KEY, "is not in the data; 120 rows", 2),
        (lambda f: f, {**BY_KEY, "key": "nobody"}, "There is no column 'nobody'", None),
        (lambda f: f, {**BY_KEY, "score": "nothing"}, "There is no column 'nothing'", None),
        (lambda f: f.assign(p="high"), BY_KEY, "'high' is not a number", 2),
        (lambda f: f, {"score": "p"}, "The file has 120 rows and the data has 420", None),
        (lambda f: f, {"key": "id"}, "name no score column", None),
        (lambda f: f.assign(said="maybe"), {**BY_KEY, "label": "said"}, "'maybe' is not a value of the target", 2),
    ],
)
def test_scores_that_do_not_fit_are_refused(
    change: object, entry: dict[str, object], said: str, row: int | None
) -> None:
    with pytest.raises(UserError, match=said) as caught:
        opened("binary", change(binary_scores()), entry)
    assert caught.value.row == row


def test_a_row_scored_twice_is_refused() -> None:
    made = files("binary", binary_scores(), BY_KEY)
    twice = (
        made["submission.yaml"]
        .decode()
        .replace("predictions:\n", "predictions:\n- {path: predictions/test.csv, key: id, score: p}\n")
    )
    with pytest.raises(UserError, match="120 rows have scores in another file"):
        package_from_files({**made, "submission.yaml": twice.encode()})


def test_claims_of_another_outcome_or_class_are_refused() -> None:
    numbers = pd.DataFrame({"y_hat": people()["size"]})
    with pytest.raises(UserError, match="names 'auc', which a number outcome does not have"):
        opened("number", numbers, {"value": "y_hat"}, claims=[{"measure": "auc", "part": "all", "value": "0.9"}])
    with pytest.raises(UserError, match="class 'huge' and no row has it"):
        opened(
            "multiclass",
            pd.DataFrame({"said": people()["kind"]}),
            {"label": "said"},
            claims=[{"measure": "recall", "class": "huge", "part": "all", "value": "0.9"}],
        )


def test_a_claim_on_one_class() -> None:
    claims = [{"measure": "recall", "class": "large", "part": "all", "value": "1.00"}]
    package = opened("multiclass", pd.DataFrame({"said": people()["kind"]}), {"label": "said"}, claims=claims)
    (estimate,) = exhibits(package, checks=["claims"])["claims"].estimates
    assert (estimate.verdict, estimate.class_) == ("reproduced", "large")


LOGISTIC: dict[str, object] = {"family": "logistic", "preprocess": {"scale": "standard"}, "seed": 3}


def refitted_scores(parts: pd.DataFrame) -> pd.DataFrame:
    """What the recipe itself gives on every row, learned from the training part."""
    alone = subject_of(package_from_files(files("binary", binary_scores(), BY_KEY, parts, recipe=LOGISTIC)))
    from brookfall.core.fit.execute import execute
    from brookfall.core.fit.request import FitJob, ScoreReading

    bench = Bench(alone, small_plan())
    rows = np.arange(alone.table.n_rows)
    job = FitJob(bench.fit(bench.split.given_parts["training"]), (ScoreReading(rows),))
    (scores,) = execute(job, alone).readings.values()
    return pd.DataFrame({"id": [f"r{i}" for i in rows], "p": scores})


def parted() -> pd.DataFrame:
    return people().assign(part=np.where(np.arange(420) < 300, "training", "test"))


def test_recipe_and_scores_that_agree_row_by_row_are_said_to() -> None:
    scores = refitted_scores(parted()).iloc[300:]
    claims = [{"measure": "auc", "part": "test", "value": "0.5"}]
    found = exhibits(opened("binary", scores, BY_KEY, parted(), recipe=LOGISTIC, claims=claims), checks=["claims"])[
        "claims"
    ]
    assert found.lines[-1] == "Refitted here, the recipe gives the supplied scores row by row."
    by_name = {e.measure: e for e in found.estimates if e.versus is not None}
    assert by_name["largest_score_difference"].value == pytest.approx(0, abs=1e-9)
    assert by_name["flipped"].value == 0
    assert by_name["flipped"].n == 120
    assert (by_name["flipped"].low, by_name["flipped"].high) != (None, None)


def test_scores_of_another_model_are_told_with_the_share_of_other_decisions() -> None:
    scores = refitted_scores(parted()).iloc[300:].copy()
    moved = scores["p"].to_numpy().copy()
    flipped = np.flatnonzero(moved < 0.5)[:12]
    moved[flipped] = 0.9
    found = exhibits(opened("binary", scores.assign(p=moved), BY_KEY, parted(), recipe=LOGISTIC), checks=["claims"])[
        "claims"
    ]
    by_name = {e.measure: e for e in found.estimates}
    assert by_name["flipped"].value == pytest.approx(12 / 120)
    assert by_name["largest_score_difference"].value == pytest.approx(
        0.9 - float(scores["p"].to_numpy()[flipped].min())
    )
    assert by_name["largest_score_difference"].note
    assert found.answer.startswith("The submission claims no figure. Refitted here, the recipe gives other scores")
    assert "0.100 [" in found.answer
    # The owner's own parts were used, so nothing excuses it.
    assert "need not be" not in found.answer


def test_numbers_agree_or_not_by_their_size_alone() -> None:
    numbers = pd.DataFrame({"y_hat": people()["size"] + 2.0})
    found = exhibits(opened("number", numbers, {"value": "y_hat"}, recipe={"family": "linear"}), checks=["claims"])
    estimates = {e.measure: e for e in found["claims"].estimates}
    assert set(estimates) == {"largest_score_difference", "mean_score_difference"}
    assert estimates["mean_score_difference"].low is not None
    assert "need not be the owner's" in found["claims"].answer


def test_labels_without_scores_are_compared_by_decision() -> None:
    said = pd.DataFrame({"said": people()["kind"]})
    found = exhibits(opened("multiclass", said, {"label": "said"}, recipe={"family": "logistic"}), checks=["claims"])
    by_name = {e.measure: e for e in found["claims"].estimates}
    assert by_name["largest_score_difference"].value is None
    assert by_name["flipped"].value is not None
    assert "of the all rows" not in found["claims"].answer


NO_FEATURE = ["sex", "age", "house", "day", "weight", "size", "kind", "flag", "part"]


def test_scores_without_a_feature_are_a_model_too() -> None:
    package = opened("binary", binary_scores(), BY_KEY, parted()[NO_FEATURE])
    plan = standard_plan(1, given_parts=True).model_copy(update={"threshold": 0.5})
    found = {one.check: one for one in retest(Bench(subject_of(package), plan))}
    assert {name for name, one in found.items() if one.state == "done"} >= {
        "profile", "repeats", "holdout", "threshold", "baseline", "groups", "combinations",
    }  # fmt: skip
    assert all(one.state in ("done", "not_applicable") for one in found.values())
    assert all(one.answer for one in found.values())
    for name in ("association", "leaks", "proxies"):
        assert found[name].answer == "This needs a feature, and no column is one."
    assert "420 rows with no features" in found["profile"].answer
    assert "have the features of another row" not in found["repeats"].answer


def test_a_recipe_without_a_feature_is_still_refused() -> None:
    with pytest.raises(UserError, match="No column is left to be a feature"):
        opened("binary", binary_scores(), BY_KEY, parted()[NO_FEATURE], recipe=LOGISTIC)
