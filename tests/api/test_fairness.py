"""The fairness audit through the API: groups made otherwise, pairs of proxies, drafts of findings, the plan's harms."""

import re
from collections.abc import Callable
from typing import Any

import pytest

from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import fields_of, ran
from tests.conftest import files_of
from tests.core.test_fairness import people

SignIn = Callable[[str], Visitor]
CHECKS = ["groups", "combinations", "group_thresholds"]
TREE = {"family": "tree", "settings": {"depth": 4, "rows_per_leaf": 20}, "threshold": 0.5, "seed": 2}


def package() -> dict[str, bytes]:
    frame = people(2400, harmed="old women")
    frame["age"] = [str(70 + i % 20) if age == "old" else str(41 + i % 20) for i, age in enumerate(frame["age"])]
    frame.insert(0, "id", range(len(frame)))
    return files_of(frame.to_csv(index=False), recipe=TREE, claims=[])


@pytest.fixture
def run(visitor: SignIn, workers: House, state: dict[str, str]) -> tuple[Visitor, str]:
    """A case in which older women are passed over, run once."""
    if "base" not in state:
        state["base"] = ran(visitor, "fairness", CHECKS, package())
    return visitor("iris"), state["base"]


def exhibit(visitor: Visitor, base: str, number: int) -> dict[str, Any]:
    found: dict[str, Any] = visitor.get(f"{base}/exhibits/{number}")["exhibit"]
    return found


def regrouped(visitor: Visitor, base: str, number: int, body: dict[str, object]) -> dict[str, Any]:
    response = visitor.ask("POST", f"{base}/exhibits/{number}/regrouped", body)
    assert response.status_code == 200, response.text
    return response.json["exhibit"]


def test_age_bands_are_changed_on_the_spot_and_nothing_is_kept(run: tuple[Visitor, str]) -> None:
    iris, base = run
    before = exhibit(iris, base, 1)
    chart = next(one for one in before["charts"] if one["attribute"] == "age")
    assert chart["cuts"] == [25, 40, 65]
    other = regrouped(iris, base, 1, {"bands": {"age": [50]}})
    changed = next(one for one in other["charts"] if one["attribute"] == "age")
    assert {name.removesuffix(" (reference)") for name in changed["groups"]} == {"under 50", "50 and over"}
    assert sum(changed["sizes"]) == sum(chart["sizes"])
    assert exhibit(iris, base, 1) == before


def test_another_reference_turns_the_comparison_round(run: tuple[Visitor, str]) -> None:
    iris, base = run
    one, other = (regrouped(iris, base, 1, {"references": {"sex": sex}}) for sex in ("f", "m"))

    def ratio(found: dict[str, Any]) -> float:
        return float(
            next(
                e["value"]
                for e in found["estimates"]
                if e["measure"] == "selection_rate_ratio" and "sex" in (e["group"] or {}) and e["limit"]
            )
        )

    assert ratio(one) == pytest.approx(1 / ratio(other))


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"bands": {"x": [1]}}, "not a protected column"),
        ({"bands": {"sex": [1]}}, "Only a number has bands"),
        ({"bands": {"age": [60, 40]}}, "rise"),
        ({"merged": {"sex": [["f"]]}}, "two levels or more"),
        ({"colours": {}}, "colours"),
    ],
)
def test_groups_that_can_not_be_made_are_refused_in_words(
    run: tuple[Visitor, str], body: dict[str, object], words: str
) -> None:
    iris, base = run
    response = iris.ask("POST", f"{base}/exhibits/1/regrouped", body)
    assert response.status_code in (400, 422), response.text
    assert words in response.text
    assert "Traceback" not in response.text


def test_only_exhibits_of_groups_are_regrouped(run: tuple[Visitor, str]) -> None:
    iris, base = run
    assert iris.ask("POST", f"{base}/exhibits/9/regrouped", {}).status_code == 404
    stranger = iris.ask("POST", "/api/cases/99999/exhibits/1/regrouped", {})
    assert stranger.status_code == 404


def test_drafts_are_of_the_planted_combination_and_become_a_finding(run: tuple[Visitor, str]) -> None:
    iris, base = run
    drafts: Any = iris.get(f"{base}/findings/drafted")
    first = drafts[0]
    assert first["standing"] == "outside"
    assert any(draft["group"] == {"sex": "f", "age": "65 and over"} for draft in drafts)
    text = {key: first[key] for key in ("severity", "title", "what", "why", "action")}
    response = iris.ask("POST", f"{base}/findings", {"finding": {**text, "cites": [first["exhibit"]]}})
    assert response.status_code == 200, response.text
    kept: Any = iris.get(f"{base}/findings")
    assert kept[0]["title"] == first["title"]


def test_pairs_of_proxies_are_given_on_request(run: tuple[Visitor, str]) -> None:
    iris, base = run
    pairs: Any = iris.get(f"{base}/proxies/pairs")
    assert all(set(pair) >= {"features", "attribute", "together", "alone", "n"} for pair in pairs)
    assert all(pair["together"] >= 0.3 for pair in pairs)


def test_the_plan_tells_groups_and_takes_harms_with_their_reason(run: tuple[Visitor, str]) -> None:
    iris, base = run
    view: Any = iris.get(f"{base}/plan")
    assert fields_of(view, "groups")["Cuts between bands of age"]["value"] == [25, 40, 65]
    (sentence,) = [one["sentence"] for one in view["sentences"] if one["check"] == "groups"]
    sizes = [line["remark"] for line in sentence["after"] if line["parts"][0].get("text", "").startswith("sex")]
    assert len(sizes) == 1
    counted = re.findall(r"([\d\u202f]+) \([\d.]+\u00a0%, [\d.]+ to [\d.]+\)", sizes[0])
    assert sum(int(one.replace("\u202f", "")) for one in counted) == 2400
    assert view["plan"]["harms"] == ["unequal_shares", "passed_over", "picked"]
    # Locked by now: harms are changed by a deviation, with its reason.
    refused = iris.ask(
        "PUT", f"{base}/plan", {"revision": view["revision"], "plan": {**view["plan"], "harms": ["picked"]}}
    )
    assert refused.status_code == 422
    opened = iris.ask("POST", f"{base}/deviation", {"reason": "Being picked means a visit by the police here."})
    assert opened.status_code == 200, opened.text
    changed: Any = opened.json
    plan = {**changed["plan"], "harms": ["picked"], "harm_reason": "A picked home is entered."}
    saved = iris.ask("PUT", f"{base}/plan", {"revision": changed["revision"], "plan": plan})
    assert saved.status_code == 200, saved.text
    assert saved.json["plan"]["harms"] == ["picked"]
    assert iris.ask("DELETE", f"{base}/deviation").status_code == 200
