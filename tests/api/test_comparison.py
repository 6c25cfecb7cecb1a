"""Models side by side through the API: what has been fitted can be chosen, what has not is said."""

from collections.abc import Callable
from typing import Any

from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import fields_of, finished, plan_of, taken
from tests.conftest import files_of, rows_csv

SignIn = Callable[[str], Visitor]


def candidates(view: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {one["name"]: one for one in view["candidates"]}


def test_what_has_been_fitted_can_be_compared(visitor: SignIn, workers: House) -> None:
    model = {"name": "Compared", "version": "1", "tier": 3, "outcome": "binary", "purpose": "p", "owner": "o"}
    iris, base = taken(visitor, "compared", files_of(csv=rows_csv(400, seed=41), model=model))
    before = iris.get(f"{base}/comparison")
    assert before["problem"] == "1 models are chosen. Choose from 2 to 12."
    assert candidates(before)["recipe"]["missing"] == 5
    assert candidates(before)["tree"]["missing"] == 5

    assert (
        iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["holdout", "cross_validation"])).status_code == 200
    )
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    view = iris.get(f"{base}/comparison?part=test&measure=accuracy")
    assert (view["part"], view["measure"], view["problem"]) == ("test", "accuracy", None)
    assert [one["name"] for one in view["candidates"] if one["chosen"]] == ["recipe", "baseline"]
    assert str(view["answer"]).startswith("On the same 120 test rows the submitted recipe comes first of 2 by accuracy")
    out_of_fold = iris.get(f"{base}/comparison?models=recipe,baseline,tree")
    assert out_of_fold["part"] == "out_of_fold"
    assert not candidates(out_of_fold)["tree"]["chosen"]
    assert out_of_fold["n"] == 280
    # What is nonsense in an address falls back to the plan's own.
    odd = iris.get(f"{base}/comparison?part=next&measure=r2&models=nobody")
    assert (odd["part"], odd["measure"], odd["n"]) == ("out_of_fold", "auc", 280)
    assert visitor("ada").ask("GET", f"{base}/comparison").status_code == 200


def test_an_earlier_version_is_set_against_the_new_one(visitor: SignIn, workers: House) -> None:
    model = {"name": "Twice", "version": "1", "tier": 3, "outcome": "binary", "purpose": "p", "owner": "o"}
    recipe = {"family": "tree", "settings": {"depth": 2}}
    taken(visitor, "1", files_of(model=model, recipe=recipe))
    iris, base = taken(visitor, "2", files_of(model={**model, "version": "2"}))
    view = iris.get(f"{base}/plan")
    versions = fields_of(view, "in_use")["Version in use"]
    assert [one["words"] for one in versions["options"]] == ["none named", "1"]
    assert versions["value"] == versions["options"][1]["value"]
    assert view["plan"]["in_use"]["recipe"]["settings"] == {"depth": "2"}
    assert view["plan"]["in_use"]["features"] == ["x", "z", "kind"]
    assert "in_use" in view["plan"]["checks"]
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["holdout", "in_use"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    exhibit = iris.get(f"{base}/exhibits/2")["exhibit"]
    assert exhibit["state"] == "done"
    assert "of 1, in use, on 280 rows" in exhibit["answer"]
    compared = iris.get(f"{base}/comparison?models=recipe,in_use")
    assert "1, in use" in str(compared["tables"])
    behind = {"model": "in_use", "part": "out_of_fold", "decided": "yes"}
    rows = iris.ask("POST", f"{base}/behind", {"behind": behind}).json
    assert 0 < rows["total"] < 280
    assert rows["title"] == "out-of-fold rows (the version in use), decided yes"


def test_choices_are_compared_by_occasion(visitor: SignIn) -> None:
    iris = visitor("iris")
    choice = next(one for one in iris.get("/api/cases")["cases"] if one["outcome"] == "choice")
    view = iris.get(f"/api/cases/{choice['id']}/comparison?part=test&models=baseline")
    assert set(view["measures"]) == {"mean_chosen_probability", "hit_rate", "rho_squared"}
    assert {"recipe", "constants_only", "baseline"} <= {one["name"] for one in view["candidates"]}
    # Nothing has been fitted yet but the baseline, which takes no fit.
    assert view["problem"] is not None or "occasions" in view["answer"]
