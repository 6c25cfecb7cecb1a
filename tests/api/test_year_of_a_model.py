"""A year of a model's life in one walk through the API: approved with a condition, a finding answered, retested and
closed, a next version begun from the last, the condition missed, the approval lapsed, the version reviewed again."""

import json
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from brookfall.core.evidence.record_line import RecordLine
from brookfall.records.clock import clock_at
from brookfall.records.config import today
from tests.api.packages import waiting
from tests.api.test_case import SignIn, finished, plan_of
from tests.api.test_conditions import approved, asked, page_of
from tests.api.test_finding_life import acted, seen, written
from tests.api.test_retests import CHECKS, settled
from tests.api.test_retests import asked as retest
from tests.api.test_set_up import number, sent, taken

pytestmark = pytest.mark.usefixtures("workers", "no_housekeeping")

NOON = datetime.now(UTC).replace(hour=12, minute=0, second=0, microsecond=0)
NAME = "A year of its life"


def on_day(days: int) -> Any:
    """Within it is noon of so many days after the submission, which was a year and a month ago."""
    return clock_at(NOON - timedelta(days=400 - days))


def test_a_year_of_a_model(visitor: SignIn) -> None:
    from brookfall.desk.approvals import tell_what_is_due

    nell, iris = visitor("nell"), visitor("iris")

    with on_day(0):
        first = sent(visitor, NAME, "1.0", ignore=("z",))
        taken(visitor, first, "standard")
        assert iris.ask("PUT", f"{first}/plan", plan_of(iris, first, checks=CHECKS, seed=321)).status_code == 200
        assert iris.ask("POST", f"{first}/run").status_code == 200
        finished(iris, first)
        cites = [one["number"] for one in iris.get(f"{first}/run")["exhibits"]]
        finding = written(iris, first, cites=cites, title="It leaves out what tells most")

    with on_day(10):
        due = today() + timedelta(days=120)
        approved(visitor, first, asked(due, "Collect the rows of a winter."))
        assert page_of(nell, first)["standing"] == "conditional"
        assert [one["act"] for one in waiting(nell, "condition") if one["case_id"] == number(first)] == ["send"]

    with on_day(40):
        second = sent(visitor, NAME, "2.0")
        finding = acted(nell, first, finding, "answer", answer="mended", version="2.0", text="It learns from z now.")
        # The finding and the condition go with the model to the next version.
        head = iris.get(second)
        assert [one["title"] for one in head["carried_findings"]] == ["It leaves out what tells most"]
        assert [one["what"] for one in head["carried_conditions"]] == ["Collect the rows of a winter."]
        taken(visitor, second)
        assert iris.get(f"{second}/plan")["plan"]["seed"] == 321, "it begins from the last plan"

    with on_day(41):
        assert retest(iris, first, finding).status_code == 200
        # Workers live by the wall clock; what they enter is of today.
        finding = settled(iris, first)
        assert finding["state"] == "retested"
        result = finding["entries"][-1]["retest"]["result"]
        auc = next(one for one in result["exhibits"][0]["compared"] if one["id"] == "holdout/auc/recipe/test")
        assert auc["difference"]["low"] > 0

    with on_day(42):
        finding = acted(iris, first, finding, "close", text="The retest shows it mended.")
        assert seen(iris, first)[1]["state"] == "closed"
        assert iris.get(second)["carried_findings"] == []

    with on_day(10 + 120 - 14):
        tell_what_is_due()
        assert page_of(nell, first)["standing"] == "conditional"
        told = [one["waits"] for one in waiting(iris, "approval") if one["case_id"] == number(first)]
        assert told == [f"is conditional: condition 1 is due on {due:%-d %b %Y}"]

    with on_day(10 + 121):
        tell_what_is_due()
        page = page_of(nell, first)
        assert page["standing"] == "lapsed"
        assert "condition" in page["why"]
        assert number(first) in page["re_reviewable"]

    with on_day(140):
        answer = nell.ask("POST", f"{first}/re-review", {"reason": "The rows of the winter are there now."})
        assert answer.status_code == 200, answer.text
        again = f"/api/cases/{answer.json['id']}"
        assert iris.ask("POST", f"{again}/take").status_code == 200
        assert iris.get(f"{again}/set-up")["begun"]["case_id"] == number(first)
        assert iris.ask("POST", f"{again}/run").status_code == 200
        finished(iris, again)
        approved(visitor, again)
        page = page_of(nell, first)
        assert (page["standing"], page["counts"]) == ("in_force", "1.0")

    with on_day(399):
        assert page_of(nell, first)["standing"] == "in_force"
        key = page_of(nell, first)["key"]
        lines = visitor("ada").ask("GET", f"/api/record/file?form=jsonl&model={key}").text.splitlines()
        acts = [RecordLine.model_validate(json.loads(line)).act for line in lines]
        in_order = [
            "submitted", "wrote a finding", "proposed a decision", "countersigned", "answered a finding",
            "began from a set-up", "asked for a retest", "retested a finding", "closed a finding",
            "told of a date to come", "an approval lapsed", "opened a re-review", "countersigned",
        ]  # fmt: skip
        places = iter(acts)
        assert all(act in places for act in in_order), f"{in_order} is not in {acts}"
        assert visitor("ada").get("/api/record/verification")["fault"] is None
