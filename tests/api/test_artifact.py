"""A fitted model on the server: read at the door, told in the brief, run by workers, asked about new rows."""

import json

from brookfall.core.check.bench import Bench
from brookfall.core.retest.differences import differences
from brookfall.core.retest.evidence_file import Evidence
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import subject_of
from brookfall.launch.house import House
from brookfall.sandbox import sandbox
from tests.api.packages import submit
from tests.api.test_case import SignIn, finished, plan_of, taken
from tests.api.test_new_rows import rows_of, scored
from tests.conftest import until
from tests.core.test_artifact import NUMBERS, PATH, TEXTS, files_with, fitted, other_for_green, table
from tests.onnx_models import by_column, of_one_input, weighted_sum

CHECKS = ["claims", "holdout", "influence", "groups"]


def test_it_is_read_told_and_run_as_by_the_command_line(visitor: SignIn, workers: House) -> None:
    rows = table()
    files = files_with(by_column(other_for_green(fitted(rows, *TEXTS)), rows, [*NUMBERS, *TEXTS]), rows)
    iris, base = taken(visitor, "fitted model", files)
    told = {one["name"]: one["words"] for one in iris.get(base)["graph"]}
    assert "x (float32, any × 1), z (float32, any × 1), kind (text, any × 1)" in told["inputs"]
    assert "LinearClassifier" in told["operators"]
    plan = iris.get(f"{base}/plan")
    told = next(one for one in plan["remarks"] if "The fitted model is tested as it was submitted" in one)
    assert "It reads numbers as float32, to about seven digits." in told
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert finished(iris, base)["state"] == "done"

    evidence = Evidence.model_validate(json.loads(iris.ask("GET", f"{base}/report/json").data))
    package = sandbox.read_package(files, 100_000_000)
    assert {one.model for one in evidence.exhibits[1].estimates} == {"recipe", "artifact"}
    again = retest(Bench(subject_of(package, evidence.roles), evidence.plan))
    assert differences(evidence.exhibits, again) == []
    claims = evidence.exhibits[0]
    assert any("where kind = green" in one for one in (claims.answer, *claims.lines))


def test_what_it_was_asked_is_asked_again_with_the_same_bits(visitor: SignIn, workers: House) -> None:
    rows = table()
    files = files_with(by_column(other_for_green(fitted(rows, *TEXTS)), rows, [*NUMBERS, *TEXTS]), rows)
    iris, base = taken(visitor, "fitted model replayed", files)
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["claims", "influence"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert finished(iris, base)["state"] == "done"
    number = iris.get(f"{base}/run")["exhibits"][-1]["number"]
    replay = f"{base}/exhibits/{number}/replay"
    assert iris.ask("POST", replay).status_code == 200
    assert until(lambda: iris.get(replay)["state"] in ("done", "failed"), 60)
    assert iris.get(replay)["outcome"] == "same"


def test_new_rows_are_scored_by_it(visitor: SignIn, workers: House) -> None:
    rows = table()
    files = files_with(by_column(fitted(rows, *TEXTS), rows, [*NUMBERS, *TEXTS]), rows)
    iris, base = taken(visitor, "fitted model of new rows", files)
    assert {"name": "artifact", "words": "the fitted model as submitted"} in iris.get(f"{base}/new-rows")["models"]
    one = scored(iris, base, rows.head(20).to_csv(index=False), models=["artifact", "recipe"])
    assert one["state"] == "done", one["said"]
    assert len(rows_of(iris, base, one["number"])["rows"]) == 20


def test_what_can_not_be_run_never_becomes_a_case(visitor: SignIn) -> None:
    rows = table(100)
    for onnx, words in (
        (b"\x80\x04not a model", "can't be read as ONNX"),
        (of_one_input("Launch", domain="com.example"), "no standard ones"),
        (weighted_sum({"x": 1.0, "pressure": 1.0}), "'pressure'"),
    ):
        answer = submit(visitor("nell"), files_with(onnx, rows), version="no model")
        assert answer.status_code == 422, answer.text
        assert words in answer.json["detail"]
        assert PATH in answer.json["where"]
