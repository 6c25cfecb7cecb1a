"""The same asked for several times at once: done once, and nobody is told of a fault."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import cast

from sqlalchemy import func, select, text, update

from brookfall.records import audit_log
from brookfall.records.cases import Case, Note
from brookfall.records.database import transaction
from brookfall.records.idempotency import IdempotencyKey
from brookfall.records.people import BrowserSession
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_case import taken
from tests.api.test_signing import number_of
from tests.conftest import files_of, until

SignIn = Callable[[str], Visitor]


def at_once(visitors: list[Visitor], ask: Callable[[Visitor, int], Answer]) -> list[Answer]:
    with ThreadPoolExecutor(len(visitors)) as pool:
        return list(pool.map(ask, visitors, range(len(visitors))))


def test_one_of_eight_first_saves_of_a_note_is_kept_and_the_others_are_told(visitor: SignIn) -> None:
    iris, base = taken(visitor, "eight notes")
    windows = [visitor("iris") for _ in range(8)]
    answers = at_once(
        windows, lambda one, place: one.ask("PUT", f"{base}/margin", {"text": f"note {place}", "set_aside": [place]})
    )
    assert sorted(answer.status_code for answer in answers) == [200] + [409] * 7
    told = next(answer.json for answer in answers if answer.status_code == 409)
    assert told["detail"] == "These notes were changed in another window."
    kept = iris.get(f"{base}/margin")
    assert kept == next(answer.json for answer in answers if answer.status_code == 200)
    assert kept["set_aside"] == [int(kept["text"].split()[1])], "of one save as a whole"
    # The same text again is no other; what is newer says which it is newer than.
    again = iris.ask("PUT", f"{base}/margin", {"text": kept["text"], "set_aside": kept["set_aside"]})
    assert (again.status_code, again.json["revision"]) == (200, 1)
    newer = {"text": "Both together", "set_aside": [], "revision": 1}
    assert iris.ask("PUT", f"{base}/margin", newer).json["revision"] == 2
    assert iris.ask("PUT", f"{base}/margin", {**newer, "text": "Too late"}).status_code == 409
    with transaction() as session:
        notes = select(func.count()).select_from(Note).where(Note.case_id == int(base.rpartition("/")[2]))
        assert session.scalar(notes) == 1


def test_who_holds_a_case_and_who_appends_of_it_do_not_wait_in_a_circle(visitor: SignIn) -> None:
    """As a worker that enters a report does while somebody signs."""
    _, base = taken(visitor, "no circle")
    case_id = number_of(base)

    def appended() -> int:
        with transaction() as session:
            return audit_log.append(session, None, "marked labels", "no circle", case_id=case_id).id

    with ThreadPoolExecutor(1) as pool:
        with transaction() as session:
            session.get_one(Case, case_id, with_for_update=True)
            second = pool.submit(appended)
            assert until(somebody_waits, 10)
            first = audit_log.append(session, None, "changed roles", "no circle", case_id=case_id).id
        assert second.result(timeout=10) > first


def somebody_waits() -> bool:
    """Whether a statement that locks the case has not come back for a fifth of a second."""
    going = text(
        "SELECT count(*) FROM information_schema.processlist"
        " WHERE info REGEXP 'case_file WHERE id|INTO record_entry' AND id <> connection_id() AND time_ms > 200"
    )
    with transaction() as session:
        return bool(session.scalar(going))


def test_the_same_package_four_times(visitor: SignIn) -> None:
    owners = [visitor("nell") for _ in range(4)]
    answers = at_once(owners, lambda one, _: submit(one, files_of(), version="four at once"))
    codes = sorted(answer.status_code for answer in answers)
    assert codes == [200, 422, 422, 422], [answer.text for answer in answers]
    for answer in answers:
        if answer.status_code == 422:
            assert answer.json["detail"] == "Sample four at once was submitted before."
    with transaction() as session:
        cases = select(func.count()).select_from(Case).where(Case.version == "four at once")
        assert session.scalar(cases) == 1


FINDING = {"severity": 2, "title": "Skewed", "what": "See the exhibit.", "cites": []}


def with_key(visitor: Visitor, path: str, body: object, key: str) -> Answer:
    cookie = visitor.client.get_cookie("brookfall_csrf")
    assert cookie is not None
    headers = {"X-CSRF-Token": cookie.value, "Idempotency-Key": key}
    return cast("Answer", visitor.client.post(path, json=body, headers=headers))


def test_a_finding_sent_five_times_with_one_key_is_written_once(visitor: SignIn) -> None:
    iris, base = taken(visitor, "five findings")
    windows = [visitor("iris") for _ in range(5)]
    answers = at_once(windows, lambda one, _: with_key(one, f"{base}/findings", {"finding": FINDING}, "five"))
    assert [answer.status_code for answer in answers] == [200] * 5, [answer.text for answer in answers]
    assert len({answer.json["id"] for answer in answers}) == 1
    assert len(iris.get(f"{base}/findings")) == 1
    # It is the person's key for this request alone: another request with it is refused, and made with one of its own.
    other = with_key(iris, f"{base}/findings", {"finding": {**FINDING, "title": "Another"}}, "five")
    assert (other.status_code, other.json["detail"]) == (422, "The idempotency key was that of another request.")
    second = with_key(iris, f"{base}/findings", {"finding": FINDING}, "six")
    assert second.json["id"] != answers[0].json["id"]
    assert with_key(iris, f"{base}/findings", {"finding": FINDING}, "x" * 81).status_code == 422


def test_what_was_refused_with_a_key_may_be_sent_again(visitor: SignIn) -> None:
    iris, base = taken(visitor, "refused once")
    refused = with_key(iris, f"{base}/findings", {"finding": {**FINDING, "cites": [99]}}, "again")
    assert refused.status_code == 422
    with transaction() as session:
        keys = select(func.count()).select_from(IdempotencyKey).where(IdempotencyKey.key == "again")
        assert session.scalar(keys) == 0
    assert with_key(iris, f"{base}/findings", {"finding": FINDING}, "again").status_code == 200


def test_drafts_and_statements_are_begun_once(visitor: SignIn) -> None:
    nell = visitor("nell")
    drafts = [with_key(nell, "/api/drafts", {"brief": {"way": "form"}}, "draft").json["id"] for _ in range(2)]
    assert drafts[0] == drafts[1]
    nell.ask("DELETE", f"/api/drafts/{drafts[0]}")
    iris, base = taken(visitor, "one statement")
    statement = {"question": 7, "title": "Known", "judgement": "It is.", "standing": "within", "reason": "Known."}
    body = {"statement": {"name": "", **statement}}
    made = [with_key(iris, f"{base}/statements", body, "statement") for _ in range(2)]
    assert [answer.status_code for answer in made] == [200, 200], made[0].text
    assert made[0].json == made[1].json


def test_old_keys_and_sessions_are_taken_away(visitor: SignIn) -> None:
    from brookfall.engine import housekeeping
    from brookfall.records.clock import now

    nell = visitor("nell")
    draft = with_key(nell, "/api/drafts", {}, "old").json["id"]
    nell.ask("DELETE", f"/api/drafts/{draft}")
    long_ago = now() - timedelta(days=31)
    with transaction() as session:
        session.execute(update(IdempotencyKey).where(IdempotencyKey.key == "old").values(created=long_ago))
        session.add(BrowserSession(sha256="0" * 64, person_id=1, began=long_ago, seen=long_ago, address=""))
        of_now = session.scalar(select(func.count()).select_from(BrowserSession).where(BrowserSession.began > long_ago))
    housekeeping.keep_house()
    with transaction() as session:
        assert session.scalar(select(IdempotencyKey.key).where(IdempotencyKey.key == "old")) is None
        assert session.scalar(select(func.count()).select_from(BrowserSession)) == of_now
