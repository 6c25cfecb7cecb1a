"""A house on a disk of a few hundred megabytes, which is filled; run in a namespace of its own by test_full_disk.

Writes what came of each thing as one JSON object. Folders: ``house`` has the database, ``cache`` the copies of stored
bytes, ``small`` whatever else is written. Each is a disk of its own.
"""

import json
import os
import sys
import time
from collections.abc import Callable
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from click.testing import CliRunner

from brookfall.launch.house import APPLICATION, House
from tests.conftest import files_of, rows_csv, until


@contextmanager
def filled(folder: Path, but: int = 0) -> Any:
    """The disk of a folder without room, but for so many bytes."""
    file = folder / "filled"
    with file.open("wb", buffering=0) as stream:
        try:
            while True:
                stream.write(b"0" * (1 << 16))
        except OSError:
            pass
        os.truncate(file, max(0, file.stat().st_size - but))
    yield
    file.unlink()


def files_in(folder: Path) -> list[str]:
    return sorted(path.name for path in folder.rglob("*") if path.is_file() and path.name != "filled")


def told(answer: Any) -> list[Any]:
    said = answer.json or {}
    return [answer.status_code, said.get("detail"), said.get("todo")]


def of_the_cache(cache: Path, rows: Callable[[int], Any], cases: list[int]) -> dict[str, Any]:
    found: dict[str, Any] = {"turns": [rows(case).status_code for case in (*cases, *cases)]}
    for file in cache.rglob("*"):
        if file.is_file():
            file.unlink()
    with filled(cache):
        found["full"] = told(rows(cases[0]))
        found["left"] = files_in(cache)
    found["again"] = rows(cases[0]).status_code
    return found


def of_the_database(house: House, sent: Callable[[str, int], Any], versions: Callable[[], Any]) -> dict[str, Any]:
    answers: dict[str, Any] = {}
    with filled(house.project, but=4 << 20):
        for number in range(6):
            answers[f"while full {number}"] = told(sent(f"while full {number}", number))
        reading = told(versions())
    back = until(lambda: versions().status_code == 200, 60)
    sent_after = sent("after", 40)
    there = [one["version"] for one in versions().json["cases"]]
    return {"answers": answers, "reading": reading, "back": back, "after": told(sent_after), "there": there}


def of_files(small: Path, package: Path) -> dict[str, Any]:
    from brookfall.cli import main
    from brookfall.records import anchors
    from brookfall.records.database import transaction

    file = small / "anchors.jsonl"
    with transaction() as session:
        anchors.anchor_when_due(session, file)
    anchors.EVERY *= 0  # another is due at once
    before = file.read_bytes()
    file.write_bytes(before * 20)  # so that half a line fits into the last page
    found: dict[str, Any] = {}
    with filled(small):
        try:
            with transaction() as session:
                while anchors.anchor_when_due(session, file):
                    pass
        except OSError as problem:
            found["anchor"] = problem.strerror
        found["anchors_readable"] = len(anchors.read_anchors(file)) >= 20
        for name, command in {
            "retest": ["retest", str(package), "--only", "profile", "--out", str(small / "evidence.json")],
            "backup": ["backup", str(small / "backup.gz")],
        }.items():
            done = CliRunner().invoke(main, command)
            found[name] = [done.exit_code, done.output.strip().splitlines()[-1]]
        found["left"] = files_in(small)
    return found


def main(folder: Path) -> None:
    house = House(folder / "house", "small")
    house.start_stores()
    os.environ.update(house.environment, BROOKFALL_CACHE_DIR=str(folder / "cache"))
    from brookfall.records.database import migrate, transaction
    from brookfall.records.verification import verify_everything

    migrate(house.owner_url, granted_to=APPLICATION)
    from brookfall.api.app import create_app
    from brookfall.api.session import limiter
    from brookfall.demo.seed import PASSWORD, PEOPLE
    from brookfall.desk.people import add_person
    from tests.api.conftest import Visitor
    from tests.api.packages import submit

    app = create_app()
    limiter.enabled = False
    with transaction() as session:
        for login, name, roles in PEOPLE:
            add_person(session, login, name, PASSWORD, roles)
    nell, tom = Visitor(app.test_client()), Visitor(app.test_client())
    for visitor, login in ((nell, "nell"), (tom, "tom")):
        assert visitor.ask("POST", "/api/session", {"login": login, "password": PASSWORD}).status_code == 200

    def sent(version: str, seed: int) -> Any:
        return submit(nell, files_of(rows_csv(n=20_000, seed=seed), claims=[]), version=version)

    def rows(case: int) -> Any:
        return tom.ask("POST", f"/api/cases/{case}/rows", {})

    cases = [sent(f"before {number}", 90 + number).json["case_id"] for number in range(4)]
    package = folder / "package"
    for path, data in files_of().items():
        (package / path).parent.mkdir(parents=True, exist_ok=True)
        (package / path).write_bytes(data)
    began = time.monotonic()
    found = {
        "cache": of_the_cache(folder / "cache", rows, cases),
        "files": of_files(folder / "small", package),
        "database": of_the_database(house, sent, lambda: tom.ask("GET", "/api/cases")),
    }
    with transaction() as session:
        found["verified"] = {"fault": verify_everything(session).fault}
    found["took"] = {"seconds": round(time.monotonic() - began)}
    house.stop()
    json.dump(found, sys.stdout)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
