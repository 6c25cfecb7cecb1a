"""Files of new rows: matched, scored by several models, held against their outcomes, written."""

import csv
import io
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner, Result
from sklearn.compose import make_column_transformer
from sklearn.impute import SimpleImputer
from sklearn.linear_model import LogisticRegression
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import OneHotEncoder, StandardScaler

from brookfall.cli import main
from brookfall.core.foundation.errors import UserError
from brookfall.core.new_rows import told
from brookfall.core.new_rows.columns import scored_columns
from brookfall.core.new_rows.learned import models_asked
from brookfall.core.new_rows.match import read_new_rows
from brookfall.core.new_rows.measured import flips, measured
from brookfall.core.new_rows.score import ScoredFile, score_new_rows
from brookfall.core.retest.new_rows_content import content_of
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.write import csv_of
from brookfall.demo import packages
from tests.conftest import files_of, rows_csv
from tests.core.test_cli import written

NO_PENALTY = {"family": "logistic", "preprocess": {"scale": "standard"}, "threshold": 0.5}
NEW = rows_csv(60, seed=9)


def subject(csv_text: str | None = None, **changes: object) -> Subject:
    return subject_of(package_from_files(files_of(csv_text, **changes)))


def scored(
    of: Subject, new: str, *models: str, coverage: float = 0.9, seed: int = 0, file: str = "new.csv"
) -> ScoredFile:
    rows = read_new_rows(of, new.encode(), file, HowRead())
    return score_new_rows(rows, models_asked(of, models or ("recipe",)), coverage=coverage, seed=seed)


def all_told(of: ScoredFile) -> str:
    return " ".join((*told.remarks(of), *told.method(of)))


def lines_of(csv_text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(csv_text)))


def written_again(rows: list[dict[str, str]]) -> str:
    held = io.StringIO()
    made = csv.DictWriter(held, list(rows[0]))
    made.writeheader()
    made.writerows(rows)
    return held.getvalue()


def without(csv_text: str, *columns: str) -> str:
    return written_again(
        [{name: cell for name, cell in row.items() if name not in columns} for row in lines_of(csv_text)]
    )


# What is said of a row.


def test_scores_are_scikit_learns_with_what_was_learned_from_training_rows() -> None:
    known, new = pd.read_csv(io.StringIO(rows_csv())), pd.read_csv(io.StringIO(NEW))
    columns = make_column_transformer(
        (make_pipeline(SimpleImputer(strategy="median"), StandardScaler()), ["x", "z"]), (OneHotEncoder(), ["kind"])
    )
    theirs = make_pipeline(columns, LogisticRegression(C=np.inf, max_iter=10_000, tol=1e-10))
    theirs.fit(known, known["y"] == "yes")
    ours = scored(subject(recipe=NO_PENALTY), NEW).models[0]
    np.testing.assert_allclose(ours.scores, theirs.predict_proba(new)[:, 1], atol=1e-6)
    assert ours.decisions is not None
    assert ours.decisions.tolist() == (ours.scores >= 0.5).astype(int).tolist()


@pytest.mark.parametrize("model", ["recipe", "tree", "nearest_neighbours", "gradient_boosting"])
def test_a_row_is_scored_the_same_alone_and_among_others(model: str) -> None:
    of = subject()
    whole = scored(of, NEW, model).models[0]
    rows = lines_of(NEW)
    alone = scored(of, written_again(rows[7:8]), model).models[0]
    assert alone.scores[0] == whole.scores[7]
    assert whole.sets is not None
    assert alone.sets is not None
    assert alone.sets[0].tolist() == whole.sets[7].tolist()


def test_scaling_the_file_by_itself_would_change_decisions_and_is_told() -> None:
    rows = [{**row, "x": f"{float(row['x'] or 0) * 0.1 + 2:.5f}"} for row in lines_of(NEW)]
    found = scored(subject(), written_again(rows))
    (one,) = found.models
    changed = flips(one)
    assert one.by_itself is not None
    assert changed is not None
    assert changed[0] > 10, "all stand high among training rows, and half of them low among themselves"
    assert f"would have decided otherwise on {changed[0]} of 60 rows" in all_told(found)
    assert scored(subject(recipe={"family": "tree", "threshold": 0.5}), NEW).models[0].by_itself is None


def test_values_that_training_rows_never_held_are_named() -> None:
    rows = lines_of(NEW)[:4]
    rows[0]["x"], rows[1]["kind"], rows[2]["kind"] = "99", "purple", ""
    found = scored(subject(), written_again(rows))
    column = scored_columns(found).column("recipe.outside").texts()
    assert column == ["x", "kind", "kind", None]
    said = all_told(found)
    assert "kind holds 'purple' in 1 row, which no row that the model learned from has." in said
    assert "3 rows hold values that no row learned from had: kind (2) and x (1)" in said
    assert np.isfinite(found.models[0].scores).all()


def test_a_gap_in_a_column_that_had_none_is_filled_by_the_recipes_rule() -> None:
    rows = lines_of(NEW)[:2]
    rows[0]["z"] = ""
    filled = [dict(row) for row in rows]
    median = np.median([float(row["z"]) for row in lines_of(rows_csv())])
    filled[0]["z"] = f"{median:.10f}"
    of = subject()
    gap, full = scored(of, written_again(rows)), scored(of, written_again(filled))
    assert gap.models[0].scores[0] == pytest.approx(full.models[0].scores[0], abs=1e-9)
    assert gap.beyond[0].tolist() == [False, True, False]


def test_a_recipe_that_drops_rows_with_gaps_scores_none_of_them() -> None:
    recipe = {**NO_PENALTY, "preprocess": {"missing": "drop"}}
    found = scored(subject(recipe=recipe), NEW)
    gaps = [place for place, row in enumerate(lines_of(NEW)) if not row["x"]]
    assert np.flatnonzero(np.isnan(found.models[0].scores)).tolist() == gaps
    assert scored_columns(found).column("recipe.decision").texts()[gaps[0]] is None
    assert f"{len(gaps)} rows with a gap can't be scored" in all_told(found)
    held = measured(found)
    assert held is not None
    assert held.n == 60 - len(gaps)


def test_a_file_of_nothing_but_gaps_is_scored_nowhere_and_says_so() -> None:
    rows = [{**row, "x": ""} for row in lines_of(NEW)[:3]]
    found = scored(subject(recipe={**NO_PENALTY, "preprocess": {"missing": "drop"}}), written_again(rows))
    (one,) = found.models
    assert np.isnan(one.scores).all()
    assert one.reasons is None
    assert measured(found) is None
    assert "3 rows with a gap can't be scored" in all_told(found)
    assert "decides yes on 0 of 3 new rows" in told.answer(found, None)


# How a file is matched.


def test_columns_are_found_in_any_order_and_spelling_and_the_rest_is_told() -> None:
    rows = [{"Note": "a", "KIND": row["kind"], "Z": row["z"], "x": row["x"]} for row in lines_of(NEW)]
    of = subject()
    found, plain = scored(of, written_again(rows)), scored(of, NEW)
    assert found.models[0].scores.tolist() == plain.models[0].scores.tolist()
    said = all_told(found)
    assert "The column 'KIND' is taken as kind." in said
    assert "No model reads Note." in said
    assert "No outcome is known" in told.answer(found, measured(found))


def test_of_a_column_found_twice_nothing_is_guessed() -> None:
    rows = [{"X": row["x"], "_x": row["x"], "z": row["z"], "kind": row["kind"]} for row in lines_of(NEW)]
    with pytest.raises(UserError, match="A feature that the model needs is not in the file") as problem:
        scored(subject(), written_again(rows))
    assert problem.value.column == "x"


@pytest.mark.parametrize(
    ("new", "where", "what"),
    [
        (without(NEW, "z", "kind"), "new.csv, column z", "not in the file. So is 1 other feature"),
        (NEW.replace("blue", "2").replace("-0.", "low "), "new.csv, column", "low"),
        (NEW.replace(",yes", ",maybe"), "new.csv, column y, row", "'maybe' is none of the model's"),
        ("id,x,z,kind\n", "new.csv", "header but no data row"),
        ("", "new.csv", "empty"),
    ],
)
def test_what_can_not_be_scored_is_refused_where_it_stands(new: str, where: str, what: str) -> None:
    with pytest.raises(UserError) as problem:
        scored(subject(), new)
    assert where in str(problem.value)
    assert what in str(problem.value)


def test_categories_that_look_like_numbers_keep_their_kind() -> None:
    codes = {"red": "10", "green": "20", "blue": "30"}

    def coded(text: str) -> str:
        return written_again([{**row, "kind": codes[row["kind"]]} for row in lines_of(text)])

    files = files_of(coded(rows_csv()))
    data = [{**_declared_data(files), "read": {"types": {"kind": "category"}}}]
    of = subject(coded(rows_csv()), data=data)
    assert of.table.column("kind").kind == "category"
    found = scored(of, coded(NEW))
    # Another order of the levels adds up in another order.
    np.testing.assert_allclose(found.models[0].scores, scored(subject(), NEW).models[0].scores, atol=1e-12)


def _declared_data(files: dict[str, bytes]) -> dict[str, object]:
    import yaml

    (data,) = yaml.safe_load(files["submission.yaml"])["data"]
    return dict(data)


def test_rows_that_the_model_learned_from_are_no_test_of_it() -> None:
    rows = lines_of(rows_csv())[:10]
    found = scored(subject(), written_again(rows))
    assert found.known.all()
    assert "says nothing of others" in told.answer(found, measured(found))
    mixed = scored(subject(), written_again(rows[:3] + [{**row, "id": "n"} for row in lines_of(NEW)[:5]]))
    assert mixed.known.tolist() == [True] * 3 + [False] * 5
    assert "3 rows of 8 are among those that the models learned from" in all_told(mixed)


def test_the_training_part_alone_is_learned_from() -> None:
    rows = lines_of(rows_csv())
    parted = written_again([{**row, "part": "train" if place < 250 else "test"} for place, row in enumerate(rows)])
    data = _declared_data(files_of())
    roles = {**dict(data["roles"]), "part": "part"}  # type: ignore[call-overload]
    found = scored(subject(parted, data=[{**data, "roles": roles}]), NEW)
    alone = scored(subject(written_again(rows[:250])), NEW)
    assert found.models[0].scores.tolist() == alone.models[0].scores.tolist()
    assert found.learned_from == "the 250 rows of the training part"


# Sets and intervals.


def test_ten_right_of_ten_is_not_certainty() -> None:
    rows = lines_of(NEW)
    first = scored(subject(), NEW).models[0]
    assert first.decisions is not None
    right = [row for row, decided in zip(rows, first.decisions, strict=True) if (row["y"] == "yes") == (decided == 1)]
    found = scored(subject(), written_again(right[:10]))
    held = measured(found)
    assert held is not None
    figure = held.figures["accuracy", "recipe"]
    ends = figure.interval(0.95)
    assert figure.value == 1
    assert ends is not None
    assert ends[0] == pytest.approx(0.722, abs=1e-3), "Wilson: 10 of 10"
    assert figure.few


def test_no_row_is_without_a_class_and_wider_sets_hold_narrower_ones() -> None:
    narrow, wide = (scored(subject(), NEW, coverage=share).models[0].sets for share in (0.6, 0.95))
    assert narrow is not None
    assert wide is not None
    assert narrow.any(axis=1).all()
    assert (wide | ~narrow).all()
    assert wide.sum() > narrow.sum()


@pytest.mark.parametrize("model", ["recipe", "tree", "nearest_neighbours"])
def test_intervals_of_numbers_hold_their_share(model: str) -> None:
    # The mean over draws; trees, whose models of folds differ more, hold more than was asked for.
    shares = []
    for seed in range(8):
        rng = np.random.default_rng(seed)
        x = rng.normal(size=(500, 2))
        y = x[:, 0] + np.abs(x[:, 1]) + rng.normal(size=500)
        text = ["a,b,y", *(f"{a:.6f},{b:.6f},{c:.6f}" for (a, b), c in zip(x, y, strict=True))]
        data = [{"name": "rows", "path": "data/rows.csv", "roles": {"target": "y"}}]
        model_ = {**MODEL, "outcome": "number"}
        of = subject("\n".join(text[:251]) + "\n", data=data, model=model_, recipe={"family": "linear"}, claims=[])
        one = scored(of, "\n".join([text[0], *text[251:]]) + "\n", model).models[0]
        assert one.low is not None
        assert one.high is not None
        shares.append(((one.low <= y[250:]) & (y[250:] <= one.high)).mean())
    assert 0.88 <= np.mean(shares) <= (0.97 if model == "tree" else 0.94)


MODEL = {"name": "Sample", "version": "1.0", "tier": 3, "purpose": "To be tested", "owner": "Makers"}


def test_too_few_rows_to_learn_from_give_no_interval_and_say_so() -> None:
    text = "a,y\n" + "".join(f"{place},{place * 2 + place % 3}\n" for place in range(8))
    data = [{"name": "rows", "path": "data/rows.csv", "roles": {"target": "y"}}]
    of = subject(text, data=data, model={**MODEL, "outcome": "number"}, recipe={"family": "linear"}, claims=[])
    found = scored(of, "a\n3\n")
    assert found.models[0].low is None
    assert "8 rows to learn from are too few" in all_told(found)
    assert "recipe.low" not in scored_columns(found).names


# Several models, other outcomes.


def test_models_side_by_side_on_the_same_rows() -> None:
    found = scored(subject(), NEW, "recipe", "tree", "naive_bayes")
    held = measured(found)
    assert held is not None
    assert [(one.model, one.versus) for one in held.differences] == [
        ("recipe", "tree"),
        ("recipe", "naive_bayes"),
        ("tree", "naive_bayes"),
    ]
    assert {one.figure.n for one in held.differences} == {60}
    assert "decide differently on" in all_told(found)
    assert scored_columns(found).names[:6] == (
        "row", "id", "recipe.score", "recipe.decision", "recipe.set", "recipe.outside",
    )  # fmt: skip


def test_an_answer_stays_short_however_many_models_there_are() -> None:
    names = ("recipe", "tree", "naive_bayes", "lightgbm", "nearest_neighbours", "discriminant")
    found = scored(subject(), NEW, *names)
    answer = content_of(found, measured(found), 0.95).answer
    assert len(answer) <= 240
    assert "others" in answer
    assert answer.count(". ") == 1, "two sentences"


def test_that_sets_take_no_weights_is_told() -> None:
    rows = [{**row, "w": str(1 + place % 3)} for place, row in enumerate(lines_of(rows_csv()))]
    data = _declared_data(files_of())
    roles = {**dict(data["roles"]), "weight": "w"}  # type: ignore[call-overload]
    found = scored(subject(written_again(rows), data=[{**data, "roles": roles}]), NEW)
    said = "Sets and intervals take every row once, whatever its weight."
    assert said in told.method(found)
    assert said not in told.method(scored(subject(), NEW))


def test_asking_for_what_is_no_model_names_those_there_are() -> None:
    for names, words in (
        (["lasso"], "No model of this outcome is called 'lasso'"),
        (["artifact"], "The model came without a fitted model"),
        (["scores"], "Scores alone say nothing of other rows"),
        (["recipe", "recipe"], "named twice"),
    ):
        with pytest.raises(UserError, match=words):
            models_asked(subject(), names)


def test_several_classes_have_a_score_and_a_place_in_the_set_each() -> None:
    package = package_from_files(packages.cause_triage())
    of = subject_of(package)
    rows = read_new_rows(of, b"".join(csv_of(of.table.take(np.arange(40)))), "new.csv", HowRead())
    found = score_new_rows(rows, models_asked(of, ["naive_bayes"]))
    (one,) = found.models
    assert one.scores.sum(axis=1) == pytest.approx(1)
    table = scored_columns(found)
    for class_ in of.target.classes:
        assert f"naive_bayes.score.{class_}" in table
    assert all(set(str(held).split("|")) <= set(of.target.classes) for held in table.column("naive_bayes.set").texts())


def test_choices_are_scored_within_their_occasions() -> None:
    package = package_from_files(packages.visit_slot())
    of = subject_of(package)
    text = b"".join(csv_of(of.table.take(np.arange(40)))).decode()
    found = scored(of, text)
    (one,) = found.models
    assert found.occasions is not None
    occasion, known = found.occasions.occasion, np.isfinite(one.scores)
    assert np.bincount(occasion, np.nan_to_num(one.scores)) == pytest.approx(1)
    assert one.decisions is not None
    assert np.bincount(occasion, one.decisions == 1).tolist() == [1] * len(np.unique(occasion))
    held = measured(found)
    assert held is not None
    assert held.n == len(np.unique(occasion))
    assert one.without == "the alternatives of an occasion have none"
    rows = lines_of(text)
    alternative = str(of.roles.alternative)
    with pytest.raises(UserError, match="The model knows no alternative 'midnight'"):
        scored(of, written_again([{**rows[0], alternative: "midnight"}, *rows[1:]]))
    with pytest.raises(UserError, match="stands twice in one occasion"):
        scored(of, written_again([rows[0], *rows]))
    assert known.sum() < 40, "an alternative that could not be had has no score"


# Written.


def test_no_text_of_a_file_becomes_a_formula(tmp_path: Path) -> None:
    rows = [{**row, "id": "=1+1"} for row in lines_of(NEW)[:2]]
    (tmp_path / "new.csv").write_text(written_again(rows))
    package = written(tmp_path / "package", files_of())
    for suffix in ("csv", "xlsx", "parquet"):
        out = tmp_path / f"out.{suffix}"
        done = run("score", package, str(tmp_path / "new.csv"), "--out", str(out))
        assert done.exit_code == 0, done.output
    assert lines_of((tmp_path / "out.csv").read_text())[0]["id"] == "'=1+1"
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").active
    assert sheet is not None
    assert sheet["B2"].value == "'=1+1"
    assert sheet["B2"].data_type == "s"
    table = pq.read_table(tmp_path / "out.parquet").to_pylist()
    assert [row["row"] for row in table] == [1, 2]
    assert table[0]["recipe.score"] == float(lines_of((tmp_path / "out.csv").read_text())[0]["recipe.score"])


def run(*arguments: str) -> Result:
    return CliRunner().invoke(main, list(arguments))


def test_the_command_says_what_has_to_be_known_beside_the_rows(tmp_path: Path) -> None:
    package = written(tmp_path / "package", files_of())
    (tmp_path / "new.csv").write_text(NEW)
    done = run("score", package, str(tmp_path / "new.csv"), "--model", "recipe", "--model", "tree")
    assert done.exit_code == 0, done.output
    assert len(lines_of(done.stdout)) == 60
    assert "On 60 new rows with an outcome AUC of the submitted recipe is" in done.stderr
    assert "Models learned from all 400 rows that have an outcome." in done.stderr
    assert "AUC of submitted recipe less that of decision tree:" in done.stderr
    again = run("score", package, str(tmp_path / "new.csv"), "--model", "recipe", "--model", "tree")
    assert again.stdout == done.stdout, "the same seed gives the same bits"
    bare = run("score", package, str(tmp_path / "new.csv"), "--no-reasons")
    assert "recipe.reasons" not in bare.stdout
    assert "Reasons are" not in bare.stderr
    for arguments, words in (
        (["--out", str(tmp_path / "rows.pdf")], "can't be written so"),
        (["--coverage", "1"], "can't be covered"),
        (["--model", "magic"], "No model of this outcome is called 'magic'"),
    ):
        refused = run("score", package, str(tmp_path / "new.csv"), *arguments)
        assert refused.exit_code == 2
        assert words in refused.stderr
