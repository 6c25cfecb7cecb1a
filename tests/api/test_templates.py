"""Templates of the house: texts of findings that a case fills in, and plans that are offered to cases of their kind."""

from collections.abc import Callable
from typing import Any

from brookfall.demo import packages
from brookfall.launch.house import House
from tests.api.conftest import Answer, Visitor
from tests.api.test_case import plan_of, ran, taken

SignIn = Callable[[str], Visitor]
WORDS = {
    "severity": 3,
    "title": "{model} {version} has learnt its rows",
    "what": "Exhibit {exhibit}, {check}: {answer} It shows in {district}. A brace: {{.",
    "why": "Crews of {owner} act on it.",
    "action": "",
}


def keep(visitor: Visitor, name: str, check: str = "gap", **words: object) -> Answer:
    return visitor.ask("POST", "/api/templates", {"name": name, "check": check, "words": {**WORDS, **words}})


def text_named(view: dict[str, Any], name: str) -> dict[str, Any]:
    (found,) = [one for one in view["findings"] if one["name"] == name]
    return found


def test_who_reviews_or_administers_keeps_texts(visitor: SignIn) -> None:
    for login in ("nell", "ada"):
        assert keep(visitor(login), "Not theirs").status_code == 403
    assert visitor("nell").ask("GET", "/api/templates").status_code == 403
    assert visitor("ada").get("/api/templates")["may_write"] is False
    iris = visitor("iris")
    first = text_named(keep(iris, "Learnt its rows").json, "Learnt its rows")
    assert keep(iris, " Learnt its rows ").json["detail"] == "There is one called 'Learnt its rows' already."
    assert keep(iris, "Of nothing", "gasp").status_code == 422
    assert keep(iris, "  ").status_code == 422
    for broken, said in (
        ("{model", "a brace itself is written twice"),
        ("{mo del}", "is no field"),
        ("{model!r}", "is no field"),
        ("{0}", "is no field"),
    ):
        refused = keep(iris, "Broken", what=broken)
        assert (refused.status_code, said in refused.json["detail"]) == (422, True), refused.text
    body = {"revision": 1, "text": {"name": "Learnt by heart", "check": "", "words": {**WORDS, "severity": 4}}}
    changed = visitor("wren").ask("PUT", f"/api/templates/{first['id']}", body)
    assert changed.status_code == 200, changed.text
    assert iris.ask("PUT", f"/api/templates/{first['id']}", body).status_code == 409
    assert text_named(changed.json, "Learnt by heart")["words"]["severity"] == 4
    assert iris.ask("DELETE", f"/api/templates/{first['id']}?revision=1").status_code == 409
    assert iris.ask("DELETE", f"/api/templates/{first['id']}?revision=2").status_code == 200
    assert iris.ask("DELETE", f"/api/templates/{first['id']}?revision=3").status_code == 404
    acts = [one["act"] for one in visitor("ada").get("/api/record?kind=policy")["entries"]]
    assert {"kept a template", "changed a template", "closed a template"} <= set(acts)


def test_a_case_fills_in_what_it_knows(visitor: SignIn, workers: House) -> None:
    iris = visitor("iris")
    assert keep(iris, "Of gaps").status_code == 200
    assert keep(iris, "Of claims", "claims").status_code == 200
    assert keep(iris, "Of anything", "", what="Look at {model}.").status_code == 200
    base = ran(visitor, "texts that fit", ["profile", "gap"])
    exhibit = next(one for one in iris.get(f"{base}/run")["exhibits"] if one["name"] == "gap")
    answer = iris.get(f"{base}/exhibits/{exhibit['number']}")["exhibit"]["answer"]
    offered = iris.get(f"{base}/finding-texts?exhibit={exhibit['number']}")
    mine = [one["name"] for one in offered if one["name"].startswith("Of ")]
    assert mine == ["Of gaps", "Of anything"], "those of the check first, and none of another"
    words = next(one["words"] for one in offered if one["name"] == "Of gaps")
    assert words["title"] == "Sample texts that fit has learnt its rows"
    assert words["what"] == f"Exhibit {exhibit['number']}, gap: {answer} It shows in {{district}}. A brace: {{."
    assert words["why"] == "Crews of Nell Farrow act on it."
    without = iris.get(f"{base}/finding-texts")
    assert {"Of gaps", "Of claims", "Of anything"} <= {one["name"] for one in without}
    assert "{exhibit}" in next(one["words"]["what"] for one in without if one["name"] == "Of gaps")
    for login in ("nell", "tom", "ada"):
        assert visitor(login).get(f"{base}/finding-texts") == [], "it is not theirs to write findings"


def test_a_plan_is_kept_and_set_beside_that_of_a_case(visitor: SignIn) -> None:
    iris, base = taken(visitor, "a plan for the house")
    changed = plan_of(iris, base, seed=77, checks=["profile", "gap"])
    assert iris.ask("PUT", f"{base}/plan", changed).status_code == 200
    assert visitor("nell").ask("POST", f"{base}/house-plans", {"name": "Short"}).status_code == 403
    assert iris.ask("POST", f"{base}/house-plans", {"name": "Short"}).status_code == 200
    assert iris.ask("POST", f"{base}/house-plans", {"name": "Short"}).status_code == 422
    _, other = taken(visitor, "takes a plan of the house")
    (plan,) = [one for one in iris.get(f"{other}/house-plans") if one["name"] == "Short"]
    compared = iris.get(f"{other}/house-plans/{plan['id']}")
    assert compared["title"] == "Short"
    assert "seed: 20417 → 77" in compared["changes"]
    assert compared["plan"]["checks"] == ["profile", "gap"]
    saved = iris.ask("PUT", f"{other}/plan", {"revision": 1, "plan": compared["plan"]})
    assert saved.status_code == 200, saved.text
    _, number = taken(visitor, "of numbers", packages.turnout_time())
    assert [one["name"] for one in iris.get(f"{number}/house-plans")] == []
    assert iris.ask("GET", f"{number}/house-plans/{plan['id']}").status_code == 422
    assert iris.ask("GET", f"{other}/house-plans/999999").status_code == 404
    assert visitor("nell").get(f"{other}/house-plans") == []
    assert visitor("nell").ask("GET", f"{other}/house-plans/{plan['id']}").status_code == 404
