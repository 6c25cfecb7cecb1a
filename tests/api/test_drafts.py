"""Drafts: files sent piece by piece, going on after a cut; taken in by a worker, whole or not at all."""

import hashlib
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pytest
import yaml
from flask import Flask

from brookfall.engine.leases import waiting
from brookfall.engine.uploads import take_in
from brookfall.launch.house import House
from brookfall.records.database import transaction
from brookfall.records.drafts import Draft, DraftFile, DraftPiece
from tests.api.conftest import Visitor
from tests.conftest import as_owner, declaration, files_of, rows_csv
from tests.core.test_package import zipped

SignIn = Callable[[str], Visitor]


def begun(visitor: Visitor, **body: object) -> int:
    response = visitor.ask("POST", "/api/drafts", body)
    assert response.status_code == 200, response.text
    return response.json["id"]


def put(visitor: Visitor, draft: int, path: str, data: bytes, offset: int = 0, **more: Any) -> tuple[int, Any]:
    place = {"path": path, "size": len(data), "offset": offset, "stamp": "1"} | more
    cookie = visitor.client.get_cookie("brookfall_csrf")
    response = visitor.client.put(
        f"/api/drafts/{draft}/files?{urlencode(place)}",
        data=data[offset:] if "part" not in more else more["part"],
        headers={"X-CSRF-Token": cookie.value if cookie else ""},
        content_type="application/octet-stream",
    )
    return response.status_code, response.json


def named(version: str, **changes: Any) -> dict[str, bytes]:
    model = {**declaration()["model"], "name": "Drafted", "version": version}
    return files_of(model=model, **changes)


def sent(visitor: Visitor, files: dict[str, bytes]) -> int:
    draft = begun(visitor)
    for path, data in files.items():
        assert put(visitor, draft, path, data)[0] == 200
    return draft


def settled(visitor: Visitor, draft: int, seconds: float = 60) -> dict[str, Any]:
    """Submits a draft and waits until a worker has finished with it."""
    response = visitor.ask("POST", f"/api/drafts/{draft}/submission")
    assert response.status_code == 200, response.text
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        seen = visitor.get(f"/api/drafts/{draft}")
        if seen["state"] in ("open", "done"):
            return seen
        time.sleep(0.1)
    raise AssertionError(f"draft {draft} was not taken in")


def test_files_in_pieces_become_a_case(visitor: SignIn, workers: House) -> None:
    nell = visitor("nell")
    files = named("1")
    draft = begun(nell, due="2027-03-01", brief={"name": "Drafted"})
    data = files["data/rows.csv"]
    for start in range(0, len(data), 5_000):
        part = data[start : start + 5_000]
        digest = hashlib.sha256(part).hexdigest()
        status, seen = put(nell, draft, "data/rows.csv", data, start, part=part, sha256=digest)
        assert (status, seen["received"]) == (200, start + len(part))
    assert put(nell, draft, "submission.yaml", files["submission.yaml"])[0] == 200
    assert nell.get(f"/api/drafts/{draft}")["brief"] == {"name": "Drafted"}
    done = settled(nell, draft)
    assert (done["state"], done["files"]) == ("done", [])
    case = nell.get(f"/api/cases/{done['case_id']}")
    assert (case["model"], case["version"], case["due"]) == ("Drafted", "1", "2027-03-01")
    whole = hashlib.sha256(data).hexdigest()
    assert [file["sha256"] for file in case["files"] if file["path"] == "data/rows.csv"] == [whole]
    assert draft not in [one["id"] for one in nell.ask("GET", "/api/drafts").json]
    with transaction() as session:
        assert session.query(DraftPiece).join(DraftFile).filter(DraftFile.draft_id == draft).count() == 0


def test_sending_goes_on_where_it_was_cut(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    data = rows_csv(300).encode()
    draft = begun(nell)
    put(nell, draft, "a.csv", data, part=data[:1000])
    again = visitor("nell")
    (file,) = again.get(f"/api/drafts/{draft}")["files"]
    assert (file["received"], file["size"]) == (1000, len(data))
    # The same piece twice, a gap, and another file under the same name all say from where to go on.
    assert put(again, draft, "a.csv", data, 0, part=data[:400])[1]["received"] == 400
    status, said = put(again, draft, "a.csv", data, 900)
    assert (status, said["detail"]) == (409, "The next byte wanted is number 400.")
    status, said = put(again, draft, "a.csv", data, 400, stamp="2")
    assert (status, said["detail"]) == (409, "The next byte wanted is number 0.")
    assert put(again, draft, "a.csv", data, 400)[1]["received"] == len(data)
    early = begun(nell)
    put(nell, early, "a.csv", data, part=data[:10])
    refused = nell.ask("POST", f"/api/drafts/{early}/submission")
    assert refused.status_code == 422
    assert f"Only 10 of its {len(data)} bytes have come" in refused.json["detail"]


@pytest.mark.parametrize(
    ("path", "more", "status", "words"),
    [
        ("../x.csv", {}, 422, "leaves the package's folder"),
        ("x.csv", {"sha256": "0" * 64}, 422, "changed on their way"),
        ("x.csv", {"size": 2}, 422, "larger than was said"),
        ("x.csv", {"size": 10**13}, 422, "MB together"),
        ("x.csv", {"size": -1}, 422, "must be at least 0"),
        ("x.csv", {"part": b"x" * ((8 << 20) + 1), "size": 9 << 20}, 422, "too large"),
    ],
)
def test_a_piece_that_does_not_fit_is_refused(
    visitor: SignIn, path: str, more: dict[str, Any], status: int, words: str
) -> None:
    nell = visitor("nell")
    draft = begun(nell)
    got, said = put(nell, draft, path, b"a,b\n1,2\n", **more)
    assert got == status
    assert words in said["detail"]
    assert nell.get(f"/api/drafts/{draft}")["files"] == []


def test_a_draft_is_its_persons_alone(visitor: SignIn, app: Flask) -> None:
    nell, iris = visitor("nell"), visitor("iris")
    draft = begun(nell)
    assert iris.ask("GET", f"/api/drafts/{draft}").status_code == 404
    assert put(iris, draft, "a.csv", b"a\n1\n")[0] == 404
    assert iris.ask("DELETE", f"/api/drafts/{draft}").status_code == 404
    assert visitor("ada").ask("POST", "/api/drafts", {}).status_code == 403
    assert nell.ask("DELETE", f"/api/drafts/{draft}").status_code == 204
    assert nell.ask("GET", f"/api/drafts/{draft}").status_code == 404


def test_a_brief_is_kept_half_done_and_not_overwritten(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    draft = begun(nell, brief={"name": "Half"})
    kept = nell.ask("PUT", f"/api/drafts/{draft}", {"brief": {"name": "Half done"}, "revision": 1})
    assert (kept.status_code, kept.json["revision"]) == (200, 2)
    late = nell.ask("PUT", f"/api/drafts/{draft}", {"brief": {"name": "Older"}, "revision": 1})
    assert late.status_code == 409
    assert nell.get(f"/api/drafts/{draft}")["brief"] == {"name": "Half done"}


def test_a_brief_has_an_end(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    draft = begun(nell)
    long = nell.ask("PUT", f"/api/drafts/{draft}", {"brief": {"name": "x" * 300_000}, "revision": 1})
    assert long.status_code == 422
    assert "too long" in long.json["detail"]


def test_what_is_wrong_is_said_and_the_draft_stays(visitor: SignIn, workers: House) -> None:
    nell = visitor("nell")
    files = named("2", csv=rows_csv(60) + "1,2\n")
    draft = sent(nell, files)
    fault = settled(nell, draft)["fault"]
    assert fault["where"] == "data/rows.csv, row 62"
    assert [file["path"] for file in nell.get(f"/api/drafts/{draft}")["files"]] == ["submission.yaml", "data/rows.csv"]
    # Mended in its place, it goes through.
    assert put(nell, draft, "data/rows.csv", rows_csv(60).encode(), stamp="mended")[0] == 200
    assert settled(nell, draft)["state"] == "done"
    second = sent(nell, {"package.zip": zipped(named("2"))})
    assert settled(nell, second)["fault"]["detail"] == "Drafted 2 was submitted before."


def test_nothing_or_too_little_is_not_taken_in(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    empty = begun(nell)
    assert nell.ask("POST", f"/api/drafts/{empty}/submission").status_code == 422
    put(nell, empty, "rows.csv", b"a\n1\n")
    assert "nothing to be taken in" in nell.ask("POST", f"/api/drafts/{empty}/submission").json["detail"]
    put(nell, empty, "more.csv", b"")
    assert nell.ask("DELETE", f"/api/drafts/{empty}/files?path=more.csv").json["files"][0]["path"] == "rows.csv"


def test_a_file_is_previewed_as_soon_as_its_beginning_has_come(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    data = b"name;amount\n" + b"\n".join(b"row %d;%d,5" % (i, i) for i in range(150_000))
    draft = begun(nell)
    put(nell, draft, "data/rows.csv", data, part=data[: 1 << 19])
    asked = {"path": "data/rows.csv"}
    early = nell.ask("POST", f"/api/drafts/{draft}/preview", asked)
    assert "Too little" in early.json["detail"]
    put(nell, draft, "data/rows.csv", data, 1 << 19)
    seen = nell.ask("POST", f"/api/drafts/{draft}/preview", asked).json
    assert (seen["how"]["separator"], seen["how"]["decimal"], seen["whole"]) == (";", ",", False)
    text = nell.ask("POST", f"/api/drafts/{draft}/preview", {**asked, "how": {"types": {"amount": "text"}}}).json
    assert [column["kind"] for column in text["columns"]] == ["text", "text"]
    assert nell.ask("POST", f"/api/drafts/{draft}/preview", {"path": "none.csv"}).status_code == 404


def test_a_draft_whose_workers_die_is_given_back(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    draft = sent(nell, named("3"))
    with transaction() as session:
        held = session.get_one(Draft, draft)
        held.state, held.attempts, held.worker = "leased", 3, "gone"
        held.lease_until = held.created.replace(year=2020)
    assert draft in waiting(Draft)
    take_in(draft)
    seen = nell.get(f"/api/drafts/{draft}")
    assert seen["state"] == "open"
    assert "ended its worker 3 times" in seen["fault"]["detail"]


def test_what_is_withdrawn_is_not_made_a_case(visitor: SignIn, app: Flask, monkeypatch: pytest.MonkeyPatch) -> None:
    nell = visitor("nell")
    draft = sent(nell, named("4"))
    with transaction() as session:
        session.get_one(Draft, draft).state = "waiting"

    from brookfall.desk import drafts
    from brookfall.engine import uploads

    made = drafts.become

    def withdrawn_meanwhile(*args: object) -> int:
        case_id = made(*args)  # type: ignore[arg-type]
        assert nell.ask("DELETE", f"/api/drafts/{draft}/submission").json["state"] == "open"
        return case_id

    monkeypatch.setattr(uploads, "become", withdrawn_meanwhile)
    take_in(draft)
    seen = nell.get(f"/api/drafts/{draft}")
    assert (seen["state"], seen["case_id"], len(seen["files"])) == ("open", None, 2)
    assert "4" not in [case["version"] for case in nell.get("/api/cases")["cases"] if case["model"] == "Drafted"]


def test_a_fault_of_ours_is_told_and_the_draft_stays(
    visitor: SignIn, app: Flask, monkeypatch: pytest.MonkeyPatch
) -> None:
    nell = visitor("nell")
    draft = sent(nell, named("5"))
    with transaction() as session:
        session.get_one(Draft, draft).state = "waiting"
    monkeypatch.setattr("brookfall.engine.uploads.become", lambda *_: 1 // 0)
    take_in(draft)
    seen = nell.get(f"/api/drafts/{draft}")
    assert (seen["state"], seen["fault"]["detail"]) == ("open", "A fault in Brookfall; it was logged.")
    assert len(seen["files"]) == 2


def test_a_damaged_piece_is_noticed(visitor: SignIn, app: Flask, stores: House) -> None:
    nell = visitor("nell")
    draft = sent(nell, named("6"))
    with as_owner(stores) as session:
        piece = session.query(DraftPiece).join(DraftFile).filter(DraftFile.draft_id == draft).first()
        piece.data = b"altered"
        session.get_one(Draft, draft).state = "waiting"
    take_in(draft)
    assert "logged" in nell.get(f"/api/drafts/{draft}")["fault"]["detail"]


def test_one_cannot_have_too_many(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    made = [begun(nell) for _ in range(20 - len(nell.ask("GET", "/api/drafts").json))]
    refused = nell.ask("POST", "/api/drafts", {})
    assert "20 drafts" in refused.json["detail"]
    for draft in made:
        nell.ask("DELETE", f"/api/drafts/{draft}")


# --- tables that the reviewer adds


def reviewed(visitor: SignIn, workers: House, version: str) -> tuple[Visitor, int]:
    case = settled(visitor("nell"), sent(visitor("nell"), named(version)))["case_id"]
    iris = visitor("iris")
    assert iris.ask("POST", f"/api/cases/{case}/take").status_code == 200
    return iris, int(case)


def added(iris: Visitor, case: int, data: bytes, **said: Any) -> dict[str, Any]:
    draft = begun(iris, added_to=case, brief=said)
    assert put(iris, draft, "asked.csv", data)[0] == 200
    return settled(iris, draft)


def test_a_reviewer_adds_a_sample_joins_it_and_takes_it_away(visitor: SignIn, workers: House) -> None:
    iris, case = reviewed(visitor, workers, "7")
    sample = b"id,disability\n" + b"".join(b"%d,%s\n" % (i, b"yes" if i % 5 == 0 else b"no") for i in range(120))
    taken = added(iris, case, sample, name="asked", kind="sample", key="id")
    assert (taken["fault"], taken["case_id"]) == (None, case)
    seen = iris.get(f"/api/cases/{case}/data")
    assert seen["beside"] == {"asked": ["id", "disability"]}
    assert [(file["name"], file["added"]) for file in seen["files"]] == [("rows", False), ("asked", True)]
    twice = added(iris, case, sample, name="asked", kind="sample", key="id")
    assert "There is a table 'asked' already" in twice["fault"]["detail"]
    joined = {"kind": "join_sample", "sample": "asked", "key": "id", "columns": ["disability"]}
    body = {"revision": seen["revision"], "changes": [joined]}
    now = iris.ask("PUT", f"/api/cases/{case}/changes", body).json
    assert "disability" in now["roles"]["protected"]
    held = iris.ask("DELETE", f"/api/cases/{case}/tables?name=asked")
    assert (held.status_code, held.json["todo"]) == (422, "Take that change back first.")
    assert (
        iris.ask("PUT", f"/api/cases/{case}/changes", {"revision": now["revision"], "changes": []}).status_code == 200
    )
    gone = iris.ask("DELETE", f"/api/cases/{case}/tables?name=asked").json
    assert gone["beside"] == {}
    assert iris.ask("DELETE", f"/api/cases/{case}/tables?name=asked").status_code == 404


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({"name": "s", "kind": "sample", "key": "nobody"}, "There is no column 'nobody'"),
        ({"name": "s", "kind": "sample"}, "names no key"),
        ({"name": "s", "kind": "rows"}, "can't hold the rows under review"),
        ({"name": "s", "kind": "magic"}, "kind: this must be"),
    ],
)
def test_what_can_not_be_added_is_said(visitor: SignIn, workers: House, said: dict[str, object], words: str) -> None:
    version = f"8 {words[:4]}{len(said)}"
    iris, case = reviewed(visitor, workers, version)
    fault = added(iris, case, b"id,x\n1,2\n2,3\n", **said)["fault"]
    assert words in fault["detail"]
    assert iris.get(f"/api/cases/{case}/data")["beside"] == {}


def test_only_the_reviewer_adds(visitor: SignIn, workers: House) -> None:
    _, case = reviewed(visitor, workers, "9")
    assert visitor("nell").ask("POST", "/api/drafts", {"added_to": case}).status_code == 403


def test_evidence_names_what_was_added_and_a_replay_wants_it(visitor: SignIn, workers: House, tmp_path: Path) -> None:
    from click.testing import CliRunner

    from brookfall.cli import main

    iris, case = reviewed(visitor, workers, "10")
    later = rows_csv(80, seed=9).encode()
    added(iris, case, later, name="later", kind="new_rows")
    evidence = iris.ask("GET", f"/api/cases/{case}/report/json").json
    assert evidence["added"][0]["sha256"] == hashlib.sha256(later).hexdigest()
    (tmp_path / "evidence.json").write_bytes(iris.ask("GET", f"/api/cases/{case}/report/json").data)
    (tmp_path / "package.zip").write_bytes(zipped(named("10")))
    (tmp_path / "anything.csv").write_bytes(later)
    asked = ["replay", str(tmp_path / "evidence.json"), str(tmp_path / "package.zip")]
    without = CliRunner().invoke(main, asked)
    assert without.exit_code == 2
    assert "Give it with --added" in without.output
    assert CliRunner().invoke(main, [*asked, "--added", str(tmp_path / "anything.csv")]).exit_code == 0


def test_yaml_of_a_form_is_read_like_any(visitor: SignIn, workers: House) -> None:
    import json

    nell = visitor("nell")
    files = named("11")
    files["submission.yaml"] = json.dumps(yaml.safe_load(files["submission.yaml"])).encode()
    assert settled(nell, sent(nell, files))["state"] == "done"
