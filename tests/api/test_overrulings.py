"""Standings that a reviewer overrules: beside the mark, in what is signed, in evidence and report, and in one list."""

import json
from typing import Any

from brookfall.core.retest.evidence_file import read_evidence
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from tests.api.conftest import Answer, Visitor
from tests.api.packages import rendered
from tests.api.test_case import SignIn, finished, plan_of, proposal, ran
from tests.api.test_statements import acts

WHY = "All rows of May are one storm."


def exhibits(visitor: Visitor, base: str) -> dict[str, Any]:
    return {one["name"]: one for one in visitor.get(f"{base}/run")["exhibits"]}


def overrule(visitor: Visitor, base: str, exhibit: int, taken_as: str = "near", reason: str = WHY) -> Answer:
    body = {"exhibit": exhibit, "taken_as": taken_as, "reason": reason}
    return visitor.ask("POST", f"{base}/overrulings", body)


def held(visitor: Visitor, base: str) -> list[Any]:
    overruled: list[Any] = visitor.get(f"{base}/overrulings")["overruled"]
    return overruled


def judged(visitor: SignIn, state: dict[str, str]) -> tuple[Visitor, str, Any, Any]:
    """A case that was run, one exhibit that does not stand within and one that does."""
    if "base" not in state:
        state["base"] = ran(visitor, "overruled", ["profile", "gap", "baseline", "claims", "segments", "calibration"])
    iris, base = visitor("iris"), state["base"]
    found = [one for one in exhibits(iris, base).values() if one["standing"] is not None]
    well = next(one for one in found if one["standing"] == "within")
    against = next(one for one in found if one["standing"] in ("outside", "unsettled"))
    return iris, base, against, well


def test_what_can_not_be_overruled_is_refused(visitor: SignIn, workers: House, state: dict[str, str]) -> None:
    iris, base, against, well = judged(visitor, state)
    assert overrule(visitor("nell"), base, against["number"]).status_code == 403
    assert overrule(visitor("tom"), base, against["number"]).status_code == 403
    assert overrule(iris, base, 99).status_code == 404
    assert overrule(iris, base, against["number"], reason="  ").status_code == 422
    assert overrule(iris, base, against["number"], "unsettled").status_code == 422
    assert overrule(iris, base, well["number"], "within").json["detail"] == "It stands within already."
    profile = exhibits(iris, base)["profile"]
    assert overrule(iris, base, profile["number"]).json["detail"] == "Nothing of this exhibit is judged."
    assert held(iris, base) == []
    assert visitor("nell").get(f"{base}/overrulings")["may_overrule"] is False


def test_a_standing_is_taken_otherwise_and_the_mark_stays(
    visitor: SignIn, workers: House, state: dict[str, str]
) -> None:
    iris, base, against, well = judged(visitor, state)
    before = iris.get(f"{base}/decision")
    assert any(f"Exhibit {against['number']}," in line for line in before["needs_reason"])
    answer = overrule(iris, base, against["number"])
    assert answer.status_code == 200, answer.text
    (one,) = answer.json["overruled"]
    assert (one["exhibit"], one["standing"], one["taken_as"]) == (against["number"], against["standing"], "near")
    assert (one["by"], one["reason"]) == ("Iris Marrow", WHY)
    assert exhibits(iris, base)[against["name"]]["standing"] == against["standing"]
    assert visitor("nell").get(f"{base}/overrulings")["overruled"] == [one]
    page = iris.get(f"{base}/decision")
    assert page["questions"] == before["questions"]
    assert not any(f"Exhibit {against['number']}," in line for line in page["needs_reason"])
    words = f"stands {against['standing']} and is taken as near by Iris Marrow: {WHY}"
    assert any(words in line for line in page["departures"])
    assert overrule(iris, base, well["number"], "outside", "The sample leaves out winter.").status_code == 200
    worse = f"Exhibit {well['number']}, {well['title'].lower()}, stands within and is taken as outside."
    assert worse in iris.get(f"{base}/decision")["needs_reason"]
    again = overrule(iris, base, against["number"], "within", "It is noise.").json["overruled"]
    assert [(one["exhibit"], one["taken_as"]) for one in again if one["exhibit"] == against["number"]] == [
        (against["number"], "within")
    ]
    mine = next(one["id"] for one in again if one["exhibit"] == well["number"])
    assert visitor("tom").ask("DELETE", f"{base}/overrulings/{mine}").status_code == 403
    left = iris.ask("DELETE", f"{base}/overrulings/{mine}").json["overruled"]
    assert [one["exhibit"] for one in left] == [against["number"]]
    assert iris.ask("DELETE", f"{base}/overrulings/{mine}").status_code == 404
    assert {"overruled a standing", "took an overruling back"} <= set(acts(iris, base))


def test_it_stands_in_evidence_report_list_and_statement(
    visitor: SignIn, workers: House, state: dict[str, str]
) -> None:
    iris, base, against, _ = judged(visitor, state)
    evidence = read_evidence(rendered(iris, base, "json").text)
    (override,) = evidence.overrides
    assert (override["kind"], override["check"], override["taken_as"]) == ("standing", against["name"], "within")
    report = rendered(iris, base).text
    assert f"Exhibit {against['number']} stands {against['standing']} and is taken as within: It is noise." in report
    assert "taken as within</span>" in report
    for login in ("nell", "wren"):
        assert visitor(login).ask("GET", "/api/overrides").status_code == 403
    case_id = int(base.rpartition("/")[2])
    (line,) = [one for one in visitor("ada").get("/api/overrides")["lines"] if one["case_id"] == case_id]
    assert (line["kind"], line["was"], line["instead"], line["by"]) == (
        "standing", against["standing"], "within", "Iris Marrow",
    )  # fmt: skip
    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 200
    signed = iris.get(f"{base}/decision")["statement"]
    assert any("is taken as within by Iris Marrow: It is noise." in line for line in signed["departures"])
    assert overrule(iris, base, against["number"]).status_code == 403
    sent = {"accept": False, "comment": "Look again.", "password": PASSWORD}
    assert visitor("tom").ask("POST", f"{base}/countersignature", sent).status_code == 200


def test_of_an_exhibit_that_is_computed_anew_it_holds_no_more(
    visitor: SignIn, workers: House, state: dict[str, str]
) -> None:
    iris, base, against, _ = judged(visitor, state)
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Another gap."}).status_code == 200
    plan = plan_of(iris, base)
    loose = {**plan["plan"]["policy"]["gap"], "at_most": 0.07}
    plan["plan"]["policy"] = {**plan["plan"]["policy"], "gap": loose}
    plan["plan"]["overrides"] = {"gap": "Crews change."}
    saved = iris.ask("PUT", f"{base}/plan", plan)
    assert saved.status_code == 200, saved.text
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    changed = against["name"] == "gap"
    assert [one["exhibit"] for one in held(iris, base)] == ([] if changed else [against["number"]])
    case_id = int(base.rpartition("/")[2])
    listed = [one for one in visitor("ada").get("/api/overrides")["lines"] if one["case_id"] == case_id]
    limits = [(one["on"], one["was"], one["instead"], one["reason"]) for one in listed if one["kind"] == "limit"]
    assert limits == [("the gap", "≤ 0.05", "≤ 0.07", "Crews change.")]
    evidence = json.loads(rendered(iris, base, "json").text)
    assert {one["kind"] for one in evidence["overrides"]} == ({"limit"} if changed else {"limit", "standing"})
    gap = exhibits(iris, base)["gap"]
    if gap["standing"] is not None:
        other = "near" if gap["standing"] != "near" else "within"
        assert overrule(iris, base, gap["number"], other).status_code == 200
        assert iris.ask("POST", f"{base}/deviation", {"reason": "Yet another gap."}).status_code == 200
        plan = plan_of(iris, base)
        plan["plan"]["policy"] = {**plan["plan"]["policy"], "gap": {**loose, "at_most": 0.08}}
        assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
        assert iris.ask("POST", f"{base}/run").status_code == 200
        finished(iris, base)
        assert gap["number"] not in [one["exhibit"] for one in held(iris, base)]
