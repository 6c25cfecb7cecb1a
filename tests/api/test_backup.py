"""Backup and restore: all at one moment while others write, restored elsewhere, verified, and replayed to the same bits."""

import gzip
import json
import os
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from click.testing import CliRunner
from sqlalchemy import create_engine, inspect, make_url, text

from brookfall.cli import main
from brookfall.core.foundation.errors import UserError
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import APPLICATION, House
from brookfall.records import backup
from brookfall.records.backup import back_up, restore
from brookfall.records.config import config
from brookfall.records.models import Base
from tests.api.packages import countersigned
from tests.api.test_case import SignIn
from tests.api.test_signing import number_of, proposed

REPLAY = """
import sys
from brookfall.desk.replays import ask_replay
from brookfall.engine.replays import carry_out
from brookfall.records.database import transaction
from brookfall.records.runs import Replay

class Nobody:
    def replay(self, replay_id): pass

replay_id = ask_replay(int(sys.argv[1]), int(sys.argv[2]), 2, Nobody())
carry_out(replay_id)
with transaction() as session:
    found = session.get_one(Replay, replay_id)
    print(found.state, found.outcome, found.said)
"""


@pytest.fixture
def elsewhere(stores: House) -> Iterator[str]:
    """An empty database, as who owns it."""
    url = make_url(stores.owner_url)
    name = f"{url.database}_restored"
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text(f"DROP DATABASE IF EXISTS {name}"))
        connection.execute(text(f"CREATE DATABASE {name} CHARACTER SET utf8mb4"))
    yield url.set(database=name).render_as_string(hide_password=False)
    with engine.begin() as connection:
        connection.execute(text(f"DROP DATABASE {name}"))
    engine.dispose()


def run_there(owner_url: str, command: list[str]) -> subprocess.CompletedProcess[str]:
    """A program of its own, configured for the other database."""
    there = make_url(config().database_url).set(database=make_url(owner_url).database)
    environment = {**os.environ, "BROOKFALL_DATABASE_URL": there.render_as_string(hide_password=False)}
    return subprocess.run([sys.executable, *command], env=environment, capture_output=True, text=True, check=False)


def tables_of(url: str) -> list[str]:
    engine = create_engine(url)
    try:
        return inspect(engine).get_table_names()
    finally:
        engine.dispose()


def test_a_backup_under_load_is_restored_verified_and_replayed(
    visitor: SignIn, workers: House, elsewhere: str, tmp_path: Path
) -> None:
    base = proposed(visitor, "backed up")
    assert countersigned(visitor("tom"), base, PASSWORD).status_code == 200
    stop, written = threading.Event(), []
    nell = visitor("nell")

    def write() -> None:
        while not stop.is_set():
            written.append(nell.ask("POST", "/api/drafts", {"brief": {"way": "form"}}).json["id"])
            nell.ask("DELETE", f"/api/drafts/{written[-1]}")

    load = threading.Thread(target=write)
    load.start()
    file = tmp_path / "all.sql.gz"
    try:
        head = back_up(config().database_url, file)
    finally:
        stop.set()
        load.join()
    assert len(written) > 3, "others wrote meanwhile"
    assert head.schema == max(
        path.name[:4] for path in (Path(backup.__file__).parent / "migrations/versions").glob("0*")
    )
    assert file.stat().st_mode & 0o077 == 0, "nobody else reads it"
    assert restore(elsewhere, file, granted_to=APPLICATION) == head

    verified = run_there(elsewhere, ["-m", "brookfall.cli", "verify"])
    assert verified.returncode == 0, verified.stderr
    assert "signed statements and all they name are whole" in verified.stdout
    iris = visitor("iris").get("/api/session")["id"]
    replayed = run_there(elsewhere, ["-c", REPLAY, str(iris), str(number_of(base))])
    assert replayed.stdout.startswith("done same"), replayed.stdout + replayed.stderr
    # What was restored may do there what it might before, and no more.
    application = run_there(
        elsewhere,
        ["-c", "from brookfall.records.database import engine; "
               "engine().connect().exec_driver_sql('DELETE FROM record_entry')"],
    )  # fmt: skip
    assert "DELETE command denied" in application.stderr


def test_a_restore_is_into_an_empty_database_and_from_a_whole_file(
    stores: House, elsewhere: str, tmp_path: Path
) -> None:
    file = tmp_path / "all.sql.gz"
    back_up(config().database_url, file)
    with pytest.raises(UserError, match=r"is there already\. Nothing was written"):
        back_up(config().database_url, file)
    with pytest.raises(UserError, match=r"has tables\. Nothing was changed"):
        restore(stores.owner_url, file)
    cut, other, text_file = tmp_path / "cut.gz", tmp_path / "other.gz", tmp_path / "text.gz"
    cut.write_bytes(file.read_bytes()[:-2000])
    other.write_bytes(gzip.compress(b"SELECT 1;\n"))
    text_file.write_text("no archive")
    newer = tmp_path / "newer.gz"
    newer.write_bytes(
        gzip.compress(b'-- brookfall {"made": "", "program": "9", "schema": "9999"}\n-- Dump completed\n')
    )
    with pytest.raises(UserError, match="is of migration 9999, which this program does not know"):
        restore(elsewhere, newer)
    with pytest.raises(UserError, match="can't be written: No such file or directory"):
        back_up(config().database_url, tmp_path / "no" / "folder.sql.gz")
    with pytest.raises(UserError, match="is damaged or not whole"):
        restore(elsewhere, cut)
    for wrong in (other, text_file):
        with pytest.raises(UserError, match="is no backup"):
            restore(elsewhere, wrong)
    assert tables_of(elsewhere) == []


def test_a_restore_that_is_refused_leaves_nothing(stores: House, elsewhere: str, tmp_path: Path) -> None:
    file = tmp_path / "wrong.sql.gz"
    head = json.dumps({"made": "2026-11-29", "program": "0", "schema": "0001"})
    lines = [f"-- brookfall {head}", "CREATE TABLE one (id INT);", "NO SUCH COMMAND;", "-- Dump completed", ""]
    file.write_bytes(gzip.compress("\n".join(lines).encode()))
    with pytest.raises(UserError, match=r"refused the backup: .*You have an error in your SQL syntax"):
        restore(elsewhere, file)
    assert tables_of(elsewhere) == []


def test_a_backup_that_fails_leaves_no_file(stores: House, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "all.sql.gz"
    with monkeypatch.context() as patch:
        patch.setattr(Base.metadata, "tables", {"no_such_table": None})
        with pytest.raises(UserError, match=r"mariadb-dump could not read everything: .*no_such_table"):
            back_up(config().database_url, file)
    with monkeypatch.context() as patch:
        patch.setenv("PATH", "")
        with pytest.raises(UserError, match=r"mariadb-dump is not installed"):
            back_up(config().database_url, file)
    assert list(tmp_path.iterdir()) == []


def test_the_commands_say_what_they_did(stores: House, elsewhere: str, tmp_path: Path) -> None:
    file = tmp_path / "all.sql.gz"
    made = CliRunner().invoke(main, ["backup", str(file)])
    assert made.exit_code == 0, made.output
    assert "It holds no key of the record" in made.output
    restored = CliRunner().invoke(main, ["restore", str(file), "--owner-url", elsewhere])
    assert restored.exit_code == 0, restored.output
    assert "Now 'brookfall verify' says whether all is as it was signed." in restored.output
    again = CliRunner().invoke(main, ["restore", str(file), "--owner-url", elsewhere])
    assert again.exit_code == 2
    assert "Traceback" not in again.output


def test_a_database_that_is_not_there_is_a_sentence(stores: House, tmp_path: Path) -> None:
    url = make_url(stores.owner_url).set(port=1).render_as_string(hide_password=False)
    file = tmp_path / "all.sql.gz"
    back_up(config().database_url, file)
    done = CliRunner().invoke(main, ["restore", str(file), "--owner-url", url])
    assert done.exit_code == 2
    assert "The database did not answer, or refused" in done.output
