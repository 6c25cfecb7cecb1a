"""Who may do what: by role, whatever is asked for; and that nothing but signing in is open to those who have not."""

import io
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from flask import Flask
from flask_login import login_required

from brookfall.api.app import description
from tests.api.conftest import Visitor
from tests.api.test_case import proposal, ran, taken
from tests.conftest import files_of
from tests.core.test_package import zipped

SignIn = Callable[[str], Visitor]

OPEN = {
    ("GET", "/api/health"), ("GET", "/api/sign-in"), ("POST", "/api/session"), ("POST", "/api/password-link"), ("PUT", "/api/password-link"),
    ("POST", "/api/password-rating"),
}  # fmt: skip
"""What is answered without a person: whether the server is there, how people sign in and where, and, to who has the secret
of a one-time link, those by which they choose a password."""


def operations() -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Method, path with its places filled, and description of every operation."""
    described: dict[str, dict[str, Any]] = description()["paths"]
    for path, methods in described.items():
        for method, told in methods.items():
            filled = path
            for parameter in told.get("parameters", []):
                if parameter["in"] == "path":
                    options = parameter["schema"].get("enum", ["1"])
                    filled = filled.replace("{" + parameter["name"] + "}", str(options[0]))
            yield method.upper(), filled, told


def asks_who_it_is(view: Any) -> bool:
    """Whether ``login_required`` is among the decorators of a view."""
    while view is not None:
        if view.__code__.co_filename == login_required.__code__.co_filename:
            return True
        view = getattr(view, "__wrapped__", None)
    return False


def test_every_address_but_these_asks_who_it_is(app: Flask) -> None:
    rules = [rule for rule in app.url_map.iter_rules() if rule.rule.startswith("/api/")]
    assert len(rules) > 60
    unguarded = {
        (method, rule.rule)
        for rule in rules
        if not asks_who_it_is(app.view_functions[rule.endpoint])
        for method in (rule.methods or set()) - {"HEAD", "OPTIONS"}
    }
    assert unguarded == OPEN


def test_who_has_not_signed_in_is_sent_away(app: Flask) -> None:
    for method, path, _ in operations():
        if method == "GET" and (method, path) not in OPEN:
            assert Visitor(app.test_client()).ask("GET", path).status_code in (401, 422), path
    assert Visitor(app.test_client()).ask("GET", "/api/cases/1").status_code == 401


def test_an_administrator_reads_no_case(app: Flask, visitor: SignIn) -> None:
    _, base = taken(visitor, "not for administrators")
    wren, case_id = visitor("wren"), base.rpartition("/")[2]
    assert wren.get("/api/cases")["cases"] == []
    asked = 0
    for method, path, told in operations():
        if method != "GET" or not path.startswith("/api/cases/1"):
            continue
        if any(one["in"] == "query" and one.get("required") for one in told.get("parameters", [])):
            continue
        answer = wren.ask("GET", path.replace("/cases/1", f"/cases/{case_id}", 1))
        assert answer.status_code == 404, f"{path}: {answer.status_code}"
        asked += 1
    assert asked > 15
    assert wren.ask("GET", "/api/record").status_code == 403
    assert wren.ask("GET", f"/api/record?case_id={case_id}").status_code == 404


def test_replays_are_started_and_ended_by_reviewers_alone(visitor: SignIn, workers: object) -> None:
    base = ran(visitor, "whose replays", ["profile"], files_of(claims=[]))
    (exhibit,) = visitor("iris").get(f"{base}/run")["exhibits"]
    address = f"{base}/exhibits/{exhibit['number']}/replay"
    for login in ("nell", "ada"):
        assert visitor(login).get(base)["may"]["replay"] is False
        refused = visitor(login).ask("POST", address)
        assert (refused.status_code, refused.json["detail"]) == (403, "Only reviewers start and end replays here.")
        assert visitor(login).ask("DELETE", address).status_code == 403
        assert visitor(login).get(address)["state"] is None, "what came of one may be read"
    assert visitor("tom").get(base)["may"]["replay"] is True
    assert visitor("tom").ask("POST", address).status_code == 200
    assert visitor("ada").get(address)["by"] == "Tom Aldous"


def test_dates_that_are_past_are_refused_where_they_are_written(visitor: SignIn) -> None:
    iris, base = taken(visitor, "dates in the past", files_of(claims=[]))
    late = {"severity": 2, "title": "Late", "what": "It is late.", "due": "2020-01-01"}
    refused = iris.ask("POST", f"{base}/findings", {"finding": late})
    assert (refused.status_code, refused.json["detail"]) == (422, "1 Jan 2020 is past.")
    package = files_of(
        model={"name": "Late", "version": "1", "tier": 3, "outcome": "binary", "purpose": "p", "owner": "o"}
    )
    body = {"package": (io.BytesIO(zipped(package)), "p.zip"), "due": "2020-01-01"}
    late_case = visitor("nell").ask("POST", "/api/cases", data=body)
    assert late_case.status_code == 422
    assert "which is past" in late_case.json["detail"]


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"conditions": [{"what": "Watch", "due": "2020-01-01"}]}, "was due on 1 Jan 2020, which is past"),
        ({"reasons": "   "}, "at least 1 character"),
        ({"conditions": [{"what": " ", "due": "2099-01-01"}]}, "at least 1 character"),
    ],
)
def test_a_decision_with_a_date_past_or_without_words(
    visitor: SignIn, workers: object, state: dict[str, str], changes: dict[str, object], says: str
) -> None:
    if "base" not in state:
        state["base"] = ran(visitor, "signed with nothing", ["profile"], files_of(claims=[]))
    refused = visitor("iris").ask("POST", f"{state['base']}/decision", proposal(**changes))
    assert refused.status_code == 422, refused.text
    assert says in refused.text
    assert visitor("iris").get(state["base"])["state"] == "in_review"


def test_a_finding_of_blanks_is_none(visitor: SignIn) -> None:
    iris, base = taken(visitor, "blanks")
    for field in ("title", "what"):
        blank = {"severity": 2, "title": "T", "what": "W", field: " \n "}
        assert iris.ask("POST", f"{base}/findings", {"finding": blank}).status_code == 422
    assert iris.get(f"{base}/findings") == []


def test_a_threshold_that_no_probability_reaches(visitor: SignIn) -> None:
    iris, base = taken(visitor, "threshold of seven")
    view = iris.get(f"{base}/plan")
    refused = iris.ask("PUT", f"{base}/plan", {"revision": view["revision"], "plan": {**view["plan"], "threshold": 7}})
    assert refused.status_code == 422
    assert "7 lies outside 0 to 1" in refused.json["detail"]


@pytest.mark.parametrize("page", [10**20, 10**7, 0])
def test_a_page_that_can_not_be(visitor: SignIn, page: int) -> None:
    answer = visitor("ada").ask("GET", f"/api/record?page={page}")
    assert answer.status_code == 422
    assert answer.content_type == "application/problem+json"


def test_a_case_of_an_impossible_number(visitor: SignIn) -> None:
    assert visitor("ada").ask("GET", f"/api/cases/{10**20}").status_code == 404
