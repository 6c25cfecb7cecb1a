"""Statements through the API: what is due, what is written, the files beside it, and what a decision makes of them."""

import io
import json
from typing import Any

import pytest

from brookfall.core.foundation.digest import sha256
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from tests.api.conftest import Answer, Visitor
from tests.api.packages import countersigned, rendered
from tests.api.test_case import SignIn, plan_of, proposal, ran, taken
from tests.conftest import files_of


def text(**changes: Any) -> dict[str, Any]:
    sound = {
        "name": "use",
        "judgement": "Crews act on it. It is not for closing a case.",
        "standing": "near",
        "reason": "The rows are of one winter.",
    }
    return {**sound, **changes}


def write(visitor: Visitor, base: str, **changes: Any) -> Answer:
    return visitor.ask("POST", f"{base}/statements", {"statement": text(**changes)})


def attach(visitor: Visitor, base: str, statement: Any, name: str, data: bytes) -> Answer:
    address = f"{base}/statements/{statement['id']}/files?revision={statement['revision']}"
    return visitor.ask("POST", address, data={"file": (io.BytesIO(data), name)})


def acts(visitor: Visitor, base: str) -> list[str]:
    case_id = base.rpartition("/")[2]
    return [entry["act"] for entry in visitor.get(f"/api/record?case_id={case_id}")["entries"]]


def test_what_the_tier_asks_is_due_until_it_is_written(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement due")
    (due,) = iris.get(f"{base}/statements")
    assert (due["name"], due["due"], due["id"], due["standing"]) == ("use", True, None, None)
    assert "Who acts on the output" in due["asks"]
    written = write(iris, base, title="Another title", question=2).json
    assert (written["number"], written["title"], written["question"]) == (1, "Intended use", 7), "the policy's words"
    assert written["author"] == "Iris Marrow"
    (only,) = iris.get(f"{base}/statements")
    assert only == written
    assert visitor("ada").get(f"{base}/statements") == [written], "an auditor reads it"
    assert "wrote a statement" in acts(iris, base)


def test_one_of_the_reviewers_own(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement own")
    no_title = write(iris, base, name="")
    assert (no_title.status_code, no_title.json["detail"]) == (422, "The statement has no title.")
    own = write(iris, base, name="", title="Where the sample comes from", question=1, asks="Who drew it?").json
    assert (own["question"], own["due"], own["number"]) == (1, False, 1)
    assert [one["name"] for one in iris.get(f"{base}/statements")] == ["use", ""], "what is due comes first"


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"name": "magic"}, "The policy knows no statement 'magic'."),
        ({"judgement": ""}, "judgement"),
        ({"reason": ""}, "reason"),
        ({"standing": "good"}, "standing"),
        ({"standing": None}, "standing"),
        ({"judgement": "x" * 12_001}, "judgement"),
    ],
)
def test_what_can_not_be_kept_is_refused(visitor: SignIn, changes: dict[str, Any], says: str) -> None:
    iris, base = taken(visitor, f"statement refused {says[:14]} {len(str(changes))}")
    answer = write(iris, base, **changes)
    assert answer.status_code in (400, 422), answer.text
    assert says in answer.text
    assert [one["id"] for one in iris.get(f"{base}/statements")] == [None]


def test_it_is_written_once_and_a_stale_form_overwrites_nothing(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement stale")
    first = write(iris, base).json
    again = write(iris, base)
    assert (again.status_code, again.json["detail"]) == (422, "This statement is written already.")
    address = f"{base}/statements/{first['id']}"
    changed = iris.ask("PUT", address, {"revision": 1, "statement": text(reason="Two winters.")})
    assert (changed.status_code, changed.json["reason"], changed.json["revision"]) == (200, "Two winters.", 2)
    stale = iris.ask("PUT", address, {"revision": 1, "statement": text(reason="Lost?")})
    assert stale.status_code == 409
    assert iris.get(f"{base}/statements")[0]["reason"] == "Two winters."


def test_withdrawn_it_is_due_again_and_comes_back_only_alone(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement withdrawn")
    first = write(iris, base).json
    address = f"{base}/statements/{first['id']}"
    gone = iris.ask("PUT", address, {"revision": 1, "statement": text(withdrawn=True)}).json
    assert [(one["id"], one["withdrawn"]) for one in iris.get(f"{base}/statements")] == [
        (None, False),
        (first["id"], True),
    ]
    assert write(iris, base, reason="Anew.").status_code == 200
    back = iris.ask("PUT", address, {"revision": gone["revision"], "statement": text()})
    assert (back.status_code, back.json["detail"]) == (422, "Another one answers this by now.")
    assert "withdrew a statement" in acts(iris, base)


def test_files_are_kept_as_they_are_and_pages_are_only_saved(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement files")
    statement = write(iris, base).json
    page = b"<script>alert(1)</script>"
    kept = attach(iris, base, statement, "../notes/minutes of May.html", page).json
    (file,) = kept["files"]
    assert (file["path"], file["size"], file["sha256"]) == ("minutes of May.html", len(page), sha256(page))
    got = visitor("ada").ask("GET", f"{base}/statements/{kept['id']}/files/{file['id']}")
    assert got.data == page
    assert got.mimetype == "application/octet-stream"
    assert got.headers["Content-Disposition"].startswith("attachment")
    assert got.headers["X-Content-Type-Options"] == "nosniff"
    assert "sandbox" in got.headers["Content-Security-Policy"]
    stale = attach(iris, base, statement, "b.txt", b"b")
    assert stale.status_code == 409
    newer = attach(iris, base, kept, "minutes of May.html", b"newer").json
    assert [(one["path"], one["size"]) for one in newer["files"]] == [("minutes of May.html", 5)]
    away = f"{base}/statements/{kept['id']}/files/{newer['files'][0]['id']}?revision={newer['revision']}"
    assert iris.ask("DELETE", away).json["files"] == []
    assert {"attached a file to a statement", "took a file away from a statement"} <= set(acts(iris, base))


def test_files_that_can_not_be_kept(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement files refused")
    statement = write(iris, base).json
    assert attach(iris, base, statement, "empty.pdf", b"").json["detail"] == "The file is empty."
    large = attach(iris, base, statement, "large.pdf", b"x" * 20_000_001)
    assert (large.status_code, large.json["detail"]) == (422, "The file is larger than 20 MB.")
    none = iris.ask("POST", f"{base}/statements/{statement['id']}/files?revision=1", data={})
    assert (none.status_code, none.json["detail"]) == (422, "No file was sent.")
    assert iris.get(f"{base}/statements")[0]["files"] == []


def test_only_who_reviews_the_case_writes_and_a_file_stays_in_its_case(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement rights")
    for login in ("nell", "tom", "ada"):
        assert write(visitor(login), base).status_code == 403, login
    assert write(visitor("wren"), base).status_code == 404
    statement = write(iris, base).json
    file = attach(iris, base, statement, "a.txt", b"a").json["files"][0]
    _, other = taken(visitor, "statement rights 2")
    assert iris.ask("GET", f"{other}/statements/{statement['id']}/files/{file['id']}").status_code == 404
    assert (
        iris.ask("PUT", f"{other}/statements/{statement['id']}", {"revision": 2, "statement": text()}).status_code
        == 404
    )


def test_the_plan_says_which_are_asked_for(visitor: SignIn) -> None:
    iris, base = taken(visitor, "statement not asked")
    (one,) = iris.get(f"{base}/plan")["statements"]
    assert (one["name"], one["question"], one["on"]) == ("use", 7, True)
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, statements=[])).status_code == 200
    assert iris.get(f"{base}/statements") == []
    unknown = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, statements=["magic"]))
    assert unknown.status_code in (400, 422)
    assert "magic" in unknown.text


def mark_of_question(page: Any, number: int) -> str | None:
    return next(one["standing"] for one in page["questions"] if one["number"] == number)


def test_a_decision_knows_what_is_due_what_is_judged_and_signs_it(visitor: SignIn, workers: House) -> None:
    base = ran(visitor, "statement decided", ["profile", "baseline"], files_of(claims=[]))
    iris, tom = visitor("iris"), visitor("tom")
    page = iris.get(f"{base}/decision")
    assert [one["title"] for one in page["statements"]] == ["Intended use"]
    assert "The statement on intended use is due and not written." in page["needs_reason"]
    assert mark_of_question(page, 7) == "unsettled", "nothing is green by ignorance"
    assert {"question": 7, "standing": "unsettled"} in iris.get(base)["marks"]
    html = rendered(iris, base).text
    assert "The statement on intended use is due and was not written." in html
    assert iris.ask("POST", f"{base}/decision", proposal(despite="")).status_code == 422

    statement = write(iris, base, standing="outside", judgement="First.\n\nSecond.").json
    page = iris.get(f"{base}/decision")
    assert mark_of_question(page, 7) == "outside"
    assert "Statement 1, intended use, says that it does not hold." in page["needs_reason"]
    changed = iris.ask(
        "PUT", f"{base}/statements/{statement['id']}", {"revision": 1, "statement": text(standing="within")}
    )
    file = attach(iris, base, changed.json, "minutes.txt", b"As agreed.").json["files"][0]
    page = iris.get(f"{base}/decision")
    assert mark_of_question(page, 7) == "within"
    assert not any("intended use" in reason for reason in page["needs_reason"])

    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 200
    late = write(iris, base, name="", title="Late")
    assert late.status_code == 403, "nothing is added while a decision waits"
    signed = countersigned(tom, base, PASSWORD)
    assert signed.status_code == 200, signed.text
    evidence = json.loads(tom.ask("GET", f"{base}/report/json").data)
    (kept,) = evidence["statements"]
    assert (kept["title"], kept["standing"], kept["by"]) == ("Intended use", "within", "Iris Marrow")
    assert kept["files"] == [{"path": "minutes.txt", "size": 10, "sha256": file["sha256"]}]
    html = rendered(tom, base).text
    for words in (
        "Statement 1, intended use",
        "Holds, because: The rows are of one winter.",
        "minutes.txt",
        file["sha256"],
    ):
        assert words in html
