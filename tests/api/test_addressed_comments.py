"""Who is asked to mend a finding, and comments addressed to people of the case until they have read them."""

import json
from typing import Any

import pytest

from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Finding
from tests.api.conftest import Visitor
from tests.api.packages import waiting
from tests.api.test_case import SignIn, taken
from tests.api.test_finding_life import TEXT, act, acted, entries_of, seen, written


def to_read(visitor: Visitor, base: str) -> list[dict[str, Any]]:
    """What the person's inbox has of comments in a case."""
    case_id = int(base.rsplit("/", 1)[1])
    return [one for one in waiting(visitor, "finding") if one["case_id"] == case_id and one["act"] == "read"]


def test_a_comment_waits_in_the_inbox_of_whom_it_is_addressed_to_until_it_is_read(visitor: SignIn) -> None:
    iris, base = taken(visitor, "addressed comment")
    nell, tom = visitor("nell"), visitor("tom")
    finding = written(iris, base)
    said = acted(iris, base, finding, "comment", text="Is it so in May?", to=["nell", "tom", "nell"])
    assert said["entries"][-1]["to"] == [{"name": one, "read": None} for one in ("Nell Farrow", "Tom Aldous")]
    assert not said["entries"][-1]["unread"]
    (item,) = to_read(nell, base)
    assert (item["about"], item["count"], item["place"]) == ("finding", 1, "findings")
    assert "addressed to you" in item["waits"]
    assert to_read(iris, base) == []

    mine = seen(nell, base)[1]["entries"][-1]
    assert mine["unread"]
    address = f"{base}/findings/{finding['id']}/entries/{mine['id']}/read"
    for _ in range(2):  # a second time changes nothing
        entry = nell.ask("PUT", address).json["entries"][-1]
        assert not entry["unread"]
    assert to_read(nell, base) == []
    assert len(to_read(tom, base)) == 1
    assert [one["read"] is None for one in seen(tom, base)[1]["entries"][-1]["to"]] == [False, True]
    assert visitor("ada").ask("PUT", address).status_code == 404
    (entered,) = entries_of(base, "commented on a finding")
    assert json.loads(entered.after or "")["to"] == ["Nell Farrow", "Tom Aldous"]


@pytest.mark.parametrize(
    ("to", "said"),
    [
        (["ada"], "'ada' has no part in this case"),
        (["nobody"], "'nobody' has no part in this case"),
        (["iris"], "addressed to others"),
    ],
)
def test_a_comment_is_addressed_to_others_of_the_case_alone(visitor: SignIn, to: list[str], said: str) -> None:
    iris, base = taken(visitor, f"not addressed to {to[0]}")
    finding = written(iris, base)
    answer = act(iris, base, finding, "comment", text="Well?", to=to)
    assert (answer.status_code, said in answer.json["detail"]) == (422, True)
    assert seen(iris, base)[1]["entries"] == []


def test_nobody_is_addressed_about_a_draft_they_do_not_see_or_by_another_act(visitor: SignIn) -> None:
    iris, base = taken(visitor, "addressed draft")
    draft = written(iris, base, draft=True)
    assert act(iris, base, draft, "comment", text="See?", to=["nell"]).status_code in (403, 422)
    sent = acted(iris, base, draft, "send")
    answer = act(iris, base, sent, "close", text="Done.", to=["nell"])
    assert (answer.status_code, answer.json["detail"]) == (422, "Only a comment is addressed to somebody.")


def test_who_can_be_addressed_has_a_part_in_the_case_and_can_sign_in(visitor: SignIn) -> None:
    iris, base = taken(visitor, "who is addressable")
    people = iris.get(f"{base}/people")
    logins = {one["login"] for one in people["addressable"]}
    assert {"nell", "tom"} <= logins
    assert not {"iris", "ada", "wren"} & logins
    assert "iris" in {one["login"] for one in visitor("nell").get(f"{base}/people")["addressable"]}


def test_what_must_be_done_is_asked_of_the_model_s_people_or_its_team(visitor: SignIn) -> None:
    with transaction() as session:
        add_person(session, "minna", "Minna Stroud", PASSWORD, ("owner",))
    iris, base = taken(visitor, "by whom")
    assert iris.get(f"{base}/people")["answerable"] == ["Nell Farrow", "Makers"]
    for name in ("", "Nell Farrow", "Makers"):
        finding = written(iris, base, action="Mend it.", action_owner=name)
        assert finding["action_owner"] == name
    refused = iris.ask("POST", f"{base}/findings", {"finding": {**TEXT, "action_owner": "Minna Stroud"}})
    assert (refused.status_code, "does not belong to the model" in refused.json["detail"]) == (422, True)
    key = iris.get(base)["model_key"]
    assert visitor("nell").ask("POST", f"/api/models/{key}/members", {"login": "minna"}).status_code == 200
    assert written(iris, base, action_owner="Minna Stroud")["action_owner"] == "Minna Stroud"


def test_what_was_asked_of_somebody_in_free_text_stays_when_the_finding_is_changed(visitor: SignIn) -> None:
    iris, base = taken(visitor, "by whom of old")
    finding = written(iris, base)
    with transaction() as session:
        session.get_one(Finding, finding["id"]).action_owner = "Whoever was there"
    body = {"revision": finding["revision"], "finding": {**TEXT, "title": "Anew", "action_owner": "Whoever was there"}}
    changed = iris.ask("PUT", f"{base}/findings/{finding['id']}", body)
    assert (changed.status_code, changed.json["title"]) == (200, "Anew")
