"""Plans with the checks of memory and sense through the API: what can't run and why, how long, what a change makes stale."""

from collections.abc import Callable

import pytest

from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import excluded_in, finished, plan_of, taken
from tests.api.test_estimates import estimated
from tests.conftest import files_of

SignIn = Callable[[str], Visitor]


@pytest.mark.parametrize(
    ("recipe", "excluded"),
    [
        (
            {"family": "logistic"},
            {"without_leaks": "No feature is a leak suspect", "trees": "Logistic regression has no trees"},
        ),
        (
            {"family": "naive_bayes"},
            {"complexity": "has no dial", "trees": "has no trees", "coefficients": "has no coefficients"},
        ),
        ({"family": "tree"}, {"coefficients": "Decision tree has no coefficients. Read its influence and shape."}),
    ],
)
def test_checks_that_can_not_run_say_why_in_the_plan(
    visitor: SignIn, workers: House, recipe: dict[str, object], excluded: dict[str, str]
) -> None:
    iris, base = taken(visitor, f"excluded {recipe['family']}", files_of(recipe=recipe, claims=[]))
    plan = plan_of(iris, base)
    checks = [*plan["plan"]["checks"], "without_leaks", "complexity", "trees"]
    saved = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=list(dict.fromkeys(checks)))).json
    for check, reason in excluded.items():
        assert reason in excluded_in(saved)[check]
    assert saved["problem"] is None


def test_shuffles_count_in_the_time_that_a_plan_takes(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "shuffled time", files_of(claims=[]))
    seconds = []
    for shuffles in (20, 200):
        plan = plan_of(iris, base, checks=["shuffled"], shuffles=shuffles)
        assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
        seconds.append(float(str(estimated(iris, base)["seconds"])))
    assert seconds[1] > 5 * seconds[0]


def test_a_limit_on_capacity_makes_stale_what_is_judged_by_it_alone(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "capacity", files_of(recipe={"family": "tree", "seed": 2}, claims=[]))
    plan = plan_of(iris, base, checks=["gap", "shuffled", "complexity"], shuffles=20)
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    iris.ask("POST", f"{base}/run")
    run = finished(iris, base)
    standings = {one["name"]: one["standing"] for one in run["exhibits"]}
    assert standings == {"gap": "outside", "shuffled": None, "complexity": "outside"}
    assert iris.ask("POST", f"{base}/deviation", {"reason": "The use forgives nothing"}).status_code == 200
    changed = plan_of(iris, base)
    changed["plan"]["policy"]["capacity"]["at_most"] = 0.5
    changed["plan"]["overrides"] = {"capacity": "A list must not be learned by heart."}
    saved = iris.ask("PUT", f"{base}/plan", changed).json
    assert (saved["to_run"], saved["pending"]) == (1, 0)
    assert any("the capacity to memorise" in said for said in saved["deviations"][0]["said"])
    states = {one["name"]: one["state"] for one in iris.get(f"{base}/run")["exhibits"]}
    assert states == {"gap": "done", "shuffled": "stale", "complexity": "done"}
    iris.ask("POST", f"{base}/run")
    again = finished(iris, base)
    assert {one["name"]: one["standing"] for one in again["exhibits"]}["shuffled"] == "outside"


def test_a_limit_that_can_not_be_is_refused(visitor: SignIn) -> None:
    iris, base = taken(visitor, "limits", files_of(claims=[]))
    plan = plan_of(iris, base, shuffles=3)
    refused = iris.ask("PUT", f"{base}/plan", plan)
    assert refused.status_code == 422
    assert "shuffles" in refused.text
