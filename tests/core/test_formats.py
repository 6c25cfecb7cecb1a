"""The contract: what is written in the format is what is read and written here."""

import json

import pytest
import yaml
from openapi_spec_validator import validate
from pydantic import BaseModel

from brookfall.api.describe import DOCS, descriptions
from brookfall.core.check.bench import Bench
from brookfall.core.check.registry import checks_of
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.errors import UserError
from brookfall.core.plan.plan import Plan
from brookfall.core.resample.part_names import part_name
from brookfall.core.retest.evidence_file import Evidence, evidence_of
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import read_declaration
from tests.conftest import small_plan

WHOLE = """
brookfall: 1
model:
  name: Home visit priority
  version: "2.0"
  tier: 1
  outcome: binary
  purpose: Which homes should be offered a safety visit first
  owner: Prevention analytics
data:
  - name: households
    path: data/households.csv
    roles:
      target: hazard_found
      positive: "yes"
      identifier: [household_id]
      protected: [sex, age_band, ethnic_group, disability]
      also_features: [age_band]
      part: part
      weight: null
      ignore: [note]
      features: null
recipe:
  family: gradient_boosting
  settings: {trees: 200, depth: 3, learning_rate: 0.1}
  preprocess: {missing: median, scale: none, encode: onehot}
  threshold: 0.5
  seed: 7
  split: {test: 0.2, seed: 7, stratified: true}
artifact: {path: model/model.onnx}
predictions:
  - path: predictions/test.csv
    data: households
    key: household_id
    score: p_yes
    label: predicted
    part: test
claims:
  - {measure: auc, part: test, value: "0.830"}
  - {measure: accuracy, part: test, threshold: 0.5, value: 0.80}
  - {measure: auc, method: cross_validation, folds: 10, value: "0.82"}
expectations:
  - {feature: income, sign: negative}
"""


def test_the_whole_declaration_is_read() -> None:
    read = read_declaration(WHOLE.encode())
    assert read.data[0].roles.positive == "yes"
    assert read.data[0].roles.weight is None
    assert read.recipe is not None
    assert read.recipe.settings["learning_rate"] == "0.1"
    assert [claim.value for claim in read.claims] == ["0.830", "0.80", "0.82"]
    assert [claim.decimals for claim in read.claims] == [3, 2, 2]
    assert read.claims[2].where == "cross-validation, 10 folds"


@pytest.mark.parametrize(
    ("line", "replaced", "place"),
    [
        ("tier: 1", "tier: 4", "model.tier"),
        ("outcome: binary", "outcome: maybe", "model.outcome"),
        ("brookfall: 1", "brookfall: 2", "brookfall"),
        ("seed: 7\n", "seed: seven\n", "recipe.seed"),
        ('value: "0.830"', "value: high", "claims.0.value"),
        ("sign: negative", "sign: sideways", "expectations.0.sign"),
        ("target: hazard_found", "goal: hazard_found", "data.0.roles"),
    ],
)
def test_a_wrong_entry_is_named_by_its_path(line: str, replaced: str, place: str) -> None:
    with pytest.raises(UserError, match=place.replace(".", r"\.")):
        read_declaration(WHOLE.replace(line, replaced).encode())


@pytest.mark.parametrize(
    ("written", "name"),
    [("train", "training"), ("Development", "training"), ("dev", "validation"), ("HOLDOUT", "test"), ("2023", "2023")],
)
def test_names_of_parts_are_mapped(written: str, name: str) -> None:
    assert part_name(written) == name


def test_evidence_has_the_fields_of_the_contract(bench: Bench) -> None:
    plan = small_plan(checks=["gap", "groups"])
    exhibits = retest(Bench(bench.subject, plan))
    text = evidence_of("0" * 64, plan, bench.subject.roles, exhibits).to_json()
    assert "NaN" not in text
    data = json.loads(text)
    assert {"brookfall", "package", "environment", "plan", "policy", "exhibits"} <= set(data)
    assert {"python", "lock", "blas", "simd"} <= set(data["environment"])
    first = data["exhibits"][0]
    wanted = {
        "number",
        "check",
        "question",
        "state",
        "standing",
        "answer",
        "estimates",
        "series",
        "tables",
        "provenance",
    }
    assert wanted <= set(first)
    assert {"seed", "rows", "fits", "recipe", "seconds"} <= set(first["provenance"])
    estimate = first["estimates"][0]
    fields = "measure model part repeat group attribute class feature threshold versus value low high level n method"
    assert set(fields.split()) | {"limit", "standing", "verdict", "note"} <= set(estimate)
    assert Evidence.model_validate(data).to_json() == text


def test_schemas_in_docs_are_fresh() -> None:
    for name, text in descriptions().items():
        assert (DOCS / name).read_text(encoding="utf-8") == text, f"{name} is stale; run 'make docs'"


@pytest.mark.parametrize("tier", [1, 2, 3])
def test_a_plan_survives_yaml(tier: int) -> None:
    plan = standard_plan(tier, given_parts=False)
    assert Plan.model_validate(yaml.safe_load(yaml.safe_dump(plan.model_dump(mode="json")))) == plan


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"parts": {"kind": "shares", "training": 60, "test": 30}}, "add up to 90 %"),
        ({"checks": []}, "at least one check"),
        (
            {"parts": {"kind": "shares", "training": 60, "test": 40}, "deciding_part": "validation"},
            "no validation part",
        ),
        ({"cross_validation": {"folds": 1, "repeats": 1}}, "greater than or equal to 2"),
    ],
)
def test_plans_that_can_not_be(changes: dict[str, object], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        small_plan(**changes)


DATA_CHECKS = {"profile", "association", "leaks", "repeats", "shift"}
ALWAYS = {*DATA_CHECKS, "claims", "holdout", "cross_validation", "threshold", "gap", "baseline"}
GROUPS = {"groups", "combinations"}


@pytest.mark.parametrize(
    ("tier", "left_out", "shuffles"),
    [
        (1, set(), 100),
        (2, {"learning", "optimism", "stability"}, 50),
        (
            3,
            {
                *("without_leaks", "labels", "luck", "segments", "shuffled", "complexity", "learning", "preparation"),
                *("optimism", "trees", "challengers", "shape", "sensitivity", "direct_use", "proxies", "leaving_out"),
                *("not_collected", "group_thresholds", "assumptions", "use", "over_time", "stability"),
            },
            20,
        ),
    ],
)
def test_the_standard_plan_of_each_tier(tier: int, left_out: set[str], shuffles: int) -> None:
    plan = standard_plan(tier, given_parts=False)
    not_here = {"in_use", "group_versions", "not_observed", "surrogate", "surrogate_gap"}
    of_a_binary = set(checks_of("binary")) - not_here
    assert set(plan.checks) == of_a_binary - left_out
    assert set(plan.checks) >= ALWAYS | GROUPS | {"coefficients", "influence"}
    assert plan.shuffles == shuffles
    assert (plan.challengers == "tuned") == (tier == 1)


@pytest.mark.parametrize(
    ("measure", "value", "words"),
    [("shuffles", 5, "greater than or equal to 20"), ("shuffles", 5000, "less than or equal to 1000")],
)
def test_shuffles_that_can_not_be(measure: str, value: int, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        small_plan(**{measure: value})


def test_the_description_of_the_api_is_valid() -> None:
    described = json.loads((DOCS / "formats" / "openapi.json").read_text())
    validate(described)
    for operations in described["paths"].values():
        for operation in operations.values():
            for status, response in operation["responses"].items():
                if status == "default" or status >= "400":
                    assert list(response["content"]) == ["application/problem+json"]


def test_no_two_types_of_the_api_have_one_name() -> None:
    """Two would be one schema in the description, that of whichever came last."""
    described = json.loads((DOCS / "formats" / "openapi.json").read_text())["components"]["schemas"]
    modules: dict[str, set[str]] = {}
    waiting: list[type[BaseModel]] = [BaseModel]
    while waiting:
        for found in waiting.pop().__subclasses__():
            waiting.append(found)
            if found.__name__ in described and found.__module__.startswith("brookfall."):
                modules.setdefault(found.__name__, set()).add(found.__module__)
    assert {name: held for name, held in modules.items() if len(held) > 1} == {}
