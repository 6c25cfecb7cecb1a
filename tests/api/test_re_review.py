"""A version that was approved is reviewed again: from the last set-up, to a decision that counts from then on."""

import json
from datetime import timedelta

import pytest
from sqlalchemy import select

from brookfall.demo.seed import PASSWORD
from brookfall.records.cases import Case, StoredColumn, SubmittedFile
from brookfall.records.config import today
from brookfall.records.database import transaction
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_case import SignIn, finished, plan_of, proposal
from tests.api.test_conditions import approved, asked, at_day, ending, line_of, page_of, reviewed, waits
from tests.api.test_finding_life import entries_of, written
from tests.api.test_races import at_once
from tests.api.test_signing import number_of
from tests.conftest import files_of, rows_csv

pytestmark = pytest.mark.usefixtures("workers")

REASON = "The people it is used on have changed."


def opened(visitor: Visitor, base: str, reason: str = REASON) -> Answer:
    return visitor.ask("POST", f"{base}/re-review", {"reason": reason})


def again(visitor: Visitor, base: str) -> str:
    """The address of the re-review of a case."""
    answer = opened(visitor, base)
    assert answer.status_code == 200, answer.text
    return f"/api/cases/{answer.json['id']}"


def test_it_begins_where_the_last_review_ended(visitor: SignIn) -> None:
    iris = visitor("iris")
    base = reviewed(visitor, "again", "Reviewed again")
    finding = written(iris, base, title="It leans still")
    settled = written(iris, base, title="It leaned")
    act = {"act": "close", "revision": settled["revision"], "text": "It does no more."}
    assert iris.ask("POST", f"{base}/findings/{settled['id']}/acts", act).status_code == 200
    approved(visitor, base, asked(today() + timedelta(days=60)))
    second = again(visitor("nell"), base)
    assert second != base
    case = visitor("nell").get(second)
    assert (case["version"], case["review"], case["state"], case["before"]) == ("again", 2, "waiting", number_of(base))
    assert (case["re_review"]["reason"], case["re_review"]["by"]) == (REASON, "Nell Farrow")
    assert case["since"] is None
    assert [(one["number"], one["title"], one["version"]) for one in case["carried_findings"]] == [
        (finding["number"], "It leans still", "again")
    ]
    assert [(one["what"], one["state"]) for one in case["carried_conditions"]] == [("Collect a year of rows.", "open")]
    assert visitor("nell").get(base)["carried_findings"] == [], "nothing is carried to itself"
    with transaction() as session:
        before, now_ = session.get_one(Case, number_of(base)), session.get_one(Case, number_of(second))
        for name in ("plan", "roles", "changes", "package_sha256", "table_fingerprint", "n_rows", "owner_id"):
            assert getattr(before, name) == getattr(now_, name), name
        assert (now_.plan_locked, now_.reviewer_id, now_.countersigner_id) == (None, None, None)
        for table, kept in ((SubmittedFile, ("path", "sha256")), (StoredColumn, ("name", "values_sha256", "profile"))):
            rows = [
                [
                    [getattr(row, name) for name in kept]
                    for row in session.scalars(select(table).where(table.case_id == one.id).order_by(table.id))
                ]
                for one in (before, now_)
            ]
            assert rows[0] == rows[1] != []
    assert iris.ask("POST", f"{second}/take").status_code == 200
    assert plan_of(iris, second)["plan"]["checks"] == ["profile", "holdout"]
    assert iris.ask("POST", f"{second}/run").status_code == 200
    finished(iris, second)
    first, anew = (iris.get(f"{one}/exhibits/2")["exhibit"]["estimates"] for one in (base, second))
    assert first == anew != [], "same seed, same bits"
    (entry,) = entries_of(second, "opened a re-review")
    assert json.loads(entry.after) == {"review": 2, "after": number_of(base), "reason": REASON}


def test_its_decision_counts_from_then_on(visitor: SignIn) -> None:
    base = reviewed(visitor, "lapsed", "Lapsed and approved again")
    with at_day(500):
        approved(visitor, base, asked(today() + timedelta(days=30)))
    nell = visitor("nell")
    assert line_of(nell, base)["standing"] == "lapsed"
    assert len(ending(nell, base)) == 1
    second = again(nell, base)
    assert line_of(nell, base)["standing"] == "lapsed", "until the new decision is signed"
    assert line_of(nell, base)["versions"] == 1
    newest = page_of(nell, base)["versions"][0]
    assert (newest["line"]["review"], newest["standing"], newest["why"]) == (2, None, "under review again")
    iris = visitor("iris")
    assert iris.ask("POST", f"{second}/take").status_code == 200
    assert iris.ask("POST", f"{second}/run").status_code == 200
    finished(iris, second)
    approved(visitor, second)
    page = page_of(nell, base)
    assert (page["standing"], page["counts"], page["approved"]) == ("in_force", "lapsed", ["lapsed"])
    assert [(one["line"]["review"], one["standing"]) for one in page["versions"]] == [
        (2, "in_force"),
        (1, "superseded"),
    ]
    assert page["versions"][1]["why"] == f"it was decided again on {today():%-d %b %Y}"
    assert ending(nell, base) == ending(nell, second) == waits(nell, base) == []
    assert line_of(nell, base)["conditions"] == 0, "those of an approval that was decided again count no more"
    assert "re-review opened" in [event["what"] for event in page["events"]]
    assert page["re_reviewable"] == [number_of(second)]


def test_a_re_review_may_end_an_approval(visitor: SignIn) -> None:
    base = reviewed(visitor, "ended", "Approved, then not")
    approved(visitor, base)
    second = again(visitor("tom"), base)
    iris = visitor("iris")
    assert iris.ask("POST", f"{second}/take").status_code == 200
    assert iris.ask("POST", f"{second}/run").status_code == 200
    finished(iris, second)
    assert line_of(iris, base)["standing"] == "in_force"
    body = proposal(kind="not_approved", conditions=[])
    assert iris.ask("POST", f"{second}/decision", body).status_code == 200
    read = visitor("tom").get(f"{second}/decision")["statement_sha256"]
    body = {"accept": True, "statement_sha256": read, "password": PASSWORD}
    assert visitor("tom").ask("POST", f"{second}/countersignature", body).status_code == 200
    page = page_of(iris, base)
    assert (page["standing"], page["approved"]) == ("not_approved", [])
    assert iris.get(f"{base}/decision")["approval"]["standing"] == "superseded", "no page says that it is in force"


def test_who_may_not_and_what_can_not_be_reviewed_again(visitor: SignIn) -> None:
    base = reviewed(visitor, "not again", "Not again")
    nell = visitor("nell")
    early = opened(nell, base)
    assert (early.status_code, "was not approved" in early.json["detail"]) == (422, True)
    approved(visitor, base)
    for login in ("ada", "wren"):
        assert opened(visitor(login), base).status_code in (403, 404)
    assert opened(nell, base, "  ").status_code == 422
    answers = at_once([visitor("nell"), visitor("iris"), visitor("tom")], lambda one, _: opened(one, base))
    assert sorted(answer.status_code for answer in answers) == [200, 422, 422], [answer.text for answer in answers]
    assert opened(nell, base).json["detail"].endswith("was reviewed again since, or is under review.")
    # Nor is a package of the version taken as a second one.
    sent = submit(nell, files_of(claims=[]), version="not again")
    assert sent.status_code == 200, "another model's version of that name"
    key = nell.get(base)["model_key"]
    assert nell.ask("PUT", f"/api/models/{key}/withdrawal", {"reason": "Ended."}).status_code == 200
    assert page_of(nell, base)["re_reviewable"] == []


def sent_again(visitor: Visitor, name: str, version: str, why: str | None, **changes: object) -> Answer:
    """The package of :func:`reviewed` with other rows."""
    recipe = {"family": "logistic", "threshold": 0.5, "seed": 3}
    files = files_of(rows_csv(500, seed=8), **{"claims": [], "recipe": recipe, "re_review": why, **changes})
    files["submission.yaml"] = files["submission.yaml"].replace(b"name: Sample", f"name: {name}".encode())
    return submit(visitor, files, version=version)


def test_the_same_model_is_reviewed_again_on_rows_that_its_owner_sends(visitor: SignIn) -> None:
    iris, nell = visitor("iris"), visitor("nell")
    base = reviewed(visitor, "other rows", "Reviewed on other rows")
    approved(visitor, base)
    answer = sent_again(nell, "Reviewed on other rows", "other rows", REASON)
    assert answer.status_code == 200, answer.text
    second = f"/api/cases/{answer.json['case_id']}"
    case = nell.get(second)
    assert (case["review"], case["state"], case["n_rows"], case["before"]) == (2, "waiting", 500, number_of(base))
    assert (case["re_review"]["reason"], case["re_review"]["by"]) == (REASON, "Nell Farrow")
    assert (case["since"]["case_id"], case["since"]["version"]) == (number_of(base), "other rows")
    assert "400 rows → 500 rows" in [one["words"] for one in case["since"]["changes"]]
    assert iris.ask("POST", f"{second}/take?begin=last").status_code == 200
    assert plan_of(iris, second)["plan"]["checks"] == ["profile", "holdout"]
    assert iris.get(f"{second}/set-up")["begun"]["case_id"] == number_of(base)
    assert iris.ask("POST", f"{second}/run").status_code == 200
    finished(iris, second)
    first, anew = (iris.get(f"{one}/exhibits/2")["exhibit"]["estimates"] for one in (base, second))
    assert first[0]["n"] < anew[0]["n"]
    assert page_of(nell, base)["standing"] == "in_force", "what was signed stands until the new decision is"
    (entry,) = entries_of(second, "opened a re-review")
    assert json.loads(entry.after) == {"review": 2, "after": number_of(base), "reason": REASON}


def test_a_model_that_changed_is_no_re_review_but_a_version(visitor: SignIn) -> None:
    nell, name = visitor("nell"), "Changed meanwhile"
    base = reviewed(visitor, "changed", name)
    assert "is under review" in sent_again(nell, name, "changed", REASON).json["detail"]
    approved(visitor, base)
    without = sent_again(nell, name, "changed", None).json
    assert (without["detail"], "re_review" in without["todo"]) == (f"{name} changed was submitted before.", True)
    recipe = {"family": "logistic", "threshold": 0.4, "seed": 3}
    other = sent_again(nell, name, "changed", REASON, recipe=recipe).json
    assert "is not the model that was reviewed: threshold: 0.5 → 0.4" in other["detail"]
    roles = {"target": "y", "positive": "yes", "identifier": ["id"], "protected": ["sex", "age"], "ignore": ["z"]}
    fewer = sent_again(nell, name, "changed", REASON, data=[{"name": "rows", "path": "data/rows.csv", "roles": roles}])
    assert "is not the model that was reviewed: features: z no longer" in fewer.json["detail"]
    never = sent_again(nell, name, "never", REASON).json
    assert "was never reviewed" in never["detail"]
    assert len(page_of(nell, base)["versions"]) == 1, "nothing was opened"


def test_rows_are_sent_where_nobody_has_opened_a_re_review_without(visitor: SignIn) -> None:
    nell, name = visitor("nell"), "Opened before"
    base = reviewed(visitor, "opened", name)
    approved(visitor, base)
    second = again(nell, base)
    assert "is under review" in sent_again(nell, name, "opened", REASON).json["detail"]
    act = {"act": "withdraw", "state": "waiting", "reason": "With new rows instead."}
    answer = nell.ask("POST", f"{second}/handling", act)
    assert answer.status_code == 200, answer.text
    third = sent_again(nell, name, "opened", REASON)
    assert third.status_code == 200, third.text
    assert nell.get(f"/api/cases/{third.json['case_id']}")["review"] == 3
