"""Outside requirements of a policy, from their file to the case that answers them, its decision and its report."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from brookfall.launch.house import House
from brookfall.records.clock import clock_at
from tests.api.conftest import Answer, Visitor
from tests.api.packages import rendered
from tests.api.test_case import finished, plan_of, taken
from tests.api.test_policies import answered, done, draft_of, proposed, saved
from tests.api.test_statements import write

SignIn = Callable[[str], Visitor]
EXAMPLES = Path(__file__).parents[2] / "docs" / "examples"
BEGINS = date(2098, 1, 1)
THEN = datetime(2098, 2, 1, 12, tzinfo=UTC)


def take_in(wren: Visitor, page: dict[str, Any], name: str, text: str) -> Answer:
    body = {"revision": page["head"]["revision"], "file": name, "text": text}
    return wren.ask("PUT", f"/api/policies/{page['head']['id']}/requirements", body)


def lines_of(visitor: Visitor, base: str) -> dict[str, Any]:
    return {one["id"]: one for one in visitor.get(f"{base}/requirements")["requirements"]}


def test_a_file_is_taken_into_the_draft_or_refused(visitor: SignIn) -> None:
    wren = visitor("wren")
    page = draft_of(wren)
    county, board = ((EXAMPLES / name).read_text() for name in ("county-equal-service.yaml", "fire-board-models.yaml"))
    for broken, words in (
        (board.replace("[claims]", "[clams]"), "there is no check 'clams'"),
        (board.replace("[locked the plan]", "[locked the door]"), "the record knows no act 'locked the door'"),
        ("requirements: [", "can't be read"),
        (board.replace("tiers: [1, 2]", "tiers: [3]"), "tier 3 has no statement 'concept'"),
    ):
        refused = take_in(wren, page, "board.yaml", broken)
        assert (refused.status_code, words in refused.json["detail"]) == (422, True), refused.text
    page = done(take_in(wren, page, "county.yaml", county))
    page = done(take_in(wren, page, "board.yaml", board))
    page = done(take_in(wren, page, "board.yaml", board.replace("computed again", "computed anew")))
    asked = [(one["name"], len(one["requirements"])) for one in page["policy"]["requirements"]]
    assert asked == [("County duty of equal service", 4), ("Fire board's note on models", 4)]
    assert "computed anew" in page["policy"]["requirements"][1]["requirements"][0]["asks"]
    assert take_in(visitor("tom"), page, "board.yaml", board).status_code == 403
    assert {one["about"] for one in page["changes"]} >= {"County duty of equal service, ES-1"}
    named = {**page, "policy": {**page["policy"], "name": "Hollinmoor 2098"}}
    page = done(proposed(wren, done(saved(wren, named, note="The board asks for it.")), BEGINS))
    done(answered(visitor("tom"), page))


def test_the_case_shows_what_answers_them_and_what_is_open(visitor: SignIn, workers: House) -> None:
    _, without = taken(visitor, "nothing asked")
    assert visitor("iris").get(f"{without}/requirements") == {"requirements": [], "open": 0}
    with clock_at(THEN):
        _, base = taken(visitor, "asked from outside")
    iris = visitor("iris")
    before = lines_of(iris, base)
    assert set(before) == {"ES-3", "ES-4", "FB-1", "FB-2", "FB-3"}, "tier 3 is asked no more"
    assert before["FB-2"]["missing"] == ["the check holdout has not run", "the check baseline has not run"]
    assert before["FB-3"]["missing"] == ["nobody locked the plan"]
    plan = plan_of(iris, base, checks=["profile", "claims", "holdout"])
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    ran = lines_of(visitor("nell"), base)
    assert (ran["FB-1"]["by"], ran["FB-1"]["missing"]) == (["exhibit 2, claims"], [])
    assert (ran["FB-2"]["by"], ran["FB-2"]["missing"]) == (["exhibit 3, holdout"], ["the check baseline has not run"])
    assert (ran["FB-3"]["by"], ran["FB-3"]["missing"]) == (["locked the plan"], [])
    assert iris.get(f"{base}/requirements")["open"] == 3
    needs = iris.get(f"{base}/decision")["needs_reason"]
    assert "Fire board's note on models, FB-2, is open: the check baseline has not run." in needs
    assert "County duty of equal service, ES-3, is open: the statement on intended use is not written." in needs
    assert not any("ES-4" in one for one in needs), "signing answers it"
    assert write(iris, base).status_code == 200
    assert lines_of(iris, base)["ES-3"]["by"] == ["statement 1, intended use"]
    assert not any("ES-3" in one for one in iris.get(f"{base}/decision")["needs_reason"])
    report = rendered(iris, base).text
    assert "What is asked from outside" in report
    assert "FB-2" in report
    assert "the check baseline has not run" in report
