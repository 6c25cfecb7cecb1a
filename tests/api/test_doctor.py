"""The doctor says what is amiss with an installation; what deploy/ and the handbook call is there to be called."""

import os
import re
import shlex
import socket
import subprocess
import sys
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import click
import pytest
from click.testing import CliRunner
from flask import Flask
from sqlalchemy import create_engine, select, text

from brookfall.cli import main
from brookfall.launch.house import House
from brookfall.launch.mail_stand_in import stand_in
from brookfall.records.clock import now
from brookfall.records.config import PREFIX, Config, config
from brookfall.records.database import transaction
from brookfall.records.letters import Letter
from brookfall.records.people import Person
from brookfall.records.record_key import make_key, read_key
from brookfall.records.schema_version import newest_version
from tests.conftest import PROJECT

DEPLOY = PROJECT / "deploy"
HANDBOOK = (PROJECT / "docs" / "operations.md").read_text(encoding="utf-8")


@pytest.fixture
def configured(monkeypatch: pytest.MonkeyPatch) -> Callable[..., None]:
    def change(**to: object) -> None:
        changed = Config.model_validate({**config().model_dump(), **to})
        for module in ("brookfall.engine.doctor", "brookfall.engine.beats"):
            monkeypatch.setattr(f"{module}.config", lambda: changed)

    return change


def looked() -> dict[str, tuple[str, str]]:
    """What the command says of each part: well or AMISS, and the rest of the line."""
    done = CliRunner().invoke(main, ["doctor"])
    assert done.exception is None or isinstance(done.exception, SystemExit), done.output
    found = {}
    for line in done.output.splitlines():
        matched = re.fullmatch(r"(well|AMISS) +([^:]+): (.+)\.", line)
        assert matched, line
        found[matched[2]] = (matched[1], matched[3])
    assert done.exit_code == (1 if any(verdict == "AMISS" for verdict, _ in found.values()) else 0)
    return found


def test_a_house_that_is_well(app: Flask, workers: House, configured: Callable[..., None]) -> None:
    from brookfall.engine.beats import beat

    beat("of a test", ("short", "runs"))
    configured(secure_cookies=True)
    found = looked()
    assert {what: said for what, (verdict, said) in found.items() if verdict == "AMISS"} == {}
    assert found["database"][1] == f"answers, migration {newest_version()}"
    assert found["rights"][1] == "the application can add to the record and not change it"


def test_what_is_amiss_is_said_with_what_to_do(
    app: Flask, stores: House, configured: Callable[..., None], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from brookfall.engine import doctor

    read_by_all = tmp_path / "record.key"
    make_key(read_by_all)
    read_by_all.chmod(0o644)
    monkeypatch.setattr(doctor, "record_key", lambda: read_key(read_by_all))
    monkeypatch.setattr(doctor, "now", lambda: now() + timedelta(hours=1))
    monkeypatch.setattr(doctor, "missing_confinement", lambda: ["Landlock"])
    monkeypatch.setenv("BROOKFALL_SANDBOX", "full")
    monkeypatch.setenv("PATH", "")
    monkeypatch.setattr(doctor, "_FREE_BYTES", 1 << 60)
    nobody = "redis://127.0.0.1:1/0", "smtp://127.0.0.1:1"
    configured(secure_cookies=False, anchor_file=None, redis_url=nobody[0], mail_server=nobody[1])
    found = looked()
    for what, said in (
        ("clocks", "this machine and the database are 3600 s apart"),
        ("broker and workers", "Error 111 connecting to 127.0.0.1:1"),
        ("key of the record", f"Others may read the record's key {read_by_all}. Run chmod 600"),
        ("anchors", "set BROOKFALL_ANCHOR_FILE"),
        ("sandbox", "this machine lacks Landlock: packages are refused here"),
        ("cache", "GB free at"),
        ("backup programs", "mariadb-dump and mariadb not found: install mariadb-client"),
        ("mail", "Connection refused"),
        ("cookies", "unset BROOKFALL_SECURE_COOKIES"),
    ):
        assert found[what][0] == "AMISS", what
        assert said in found[what][1]
    assert found["database"][0] == "well"


def test_letters_that_can_not_be_sent_are_told(
    app: Flask, stores: House, configured: Callable[..., None], tmp_path: Path
) -> None:
    assert looked()["mail"] == ("well", "none is sent: BROOKFALL_MAIL_SERVER is not set")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    controller = stand_in(port, tmp_path / "mail")
    controller.start()
    try:
        configured(mail_server=f"smtp://127.0.0.1:{port}")
        assert looked()["mail"] == ("well", "the server answers")
        with transaction() as session:
            nell = session.scalars(select(Person.id).where(Person.login == "nell")).one()
            letter = Letter(
                person_id=nell, address="a@b.example", subject="S", text="t", html="h", written=now(), state="waiting",
                attempts=3, next_try=now(), said="refused",
            )  # fmt: skip
            session.add(letter)
        assert looked()["mail"][0] == "AMISS"
        assert "1 letter could not be sent yet" in looked()["mail"][1]
        with transaction() as session:
            session.get_one(Letter, letter.id).state = "failed"
        assert looked()["mail"][0] == "well"
    finally:
        controller.stop()


def test_another_key_another_migration_and_too_many_rights(
    app: Flask, stores: House, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from brookfall.engine import doctor
    from brookfall.records import audit_log

    with transaction() as session:
        audit_log.append(session, None, "made a token", "the doctor")
    other = make_key(tmp_path / "other.key")
    monkeypatch.setattr(doctor, "record_key", lambda: other)
    owner = create_engine(stores.owner_url)
    name = owner.url.database
    try:
        with owner.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = '0003'"))
            connection.execute(text(f"GRANT UPDATE ON `{name}`.record_entry TO brookfall@'%'"))
        found = looked()
    finally:
        with owner.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = :v"), {"v": newest_version()})
            connection.execute(text(f"REVOKE UPDATE ON `{name}`.record_entry FROM brookfall@'%'"))
        owner.dispose()
    assert found["key of the record"] == (
        "AMISS",
        f"the record does not know the key {other.id}: start with the one it had, and announce this one by it",
    )
    assert "is of migration 0003; this program wants" in found["database"][1]
    assert found["rights"][0] == "AMISS"
    assert looked()["rights"][0] == "well"


def test_a_server_that_is_not_configured_says_so_and_ends() -> None:
    environment = {name: value for name, value in os.environ.items() if not name.startswith(PREFIX)}
    for command in ("serve", "work", "doctor"):
        done = subprocess.run(
            [sys.executable, "-m", "brookfall.cli", command],
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 2, done.stderr
        assert "BROOKFALL_DATABASE_URL is not set." in done.stderr
        assert "Traceback" not in done.stderr


def called(line: str) -> list[str]:
    """The words after ``brookfall`` in a line that calls it."""
    words = shlex.split(line)
    place = next(i for i, word in enumerate(words) if word == "brookfall" or word.endswith("/brookfall"))
    return [word for word in words[place + 1 :] if re.fullmatch(r"[a-z]+(-[a-z]+)*|--[a-z-]+", word)]


def known(words: list[str]) -> bool:
    """Whether the command line knows the command and each of its options."""
    command: click.Command = main
    for word in words:
        if isinstance(command, click.Group) and word in command.commands:
            command = command.commands[word]
    options = {option for parameter in command.params for option in parameter.opts}
    return command is not main and all(word in options for word in words if word.startswith("--"))


def test_units_and_handbook_call_what_is_there() -> None:
    units = [line for file in DEPLOY.glob("systemd/*") for line in file.read_text().splitlines()]
    starts = [line.partition("=")[2] for line in units if line.startswith("ExecStart=")]
    assert len(starts) == 4
    inside = [match.replace("'", "") for line in starts for match in re.findall(r"\S*/brookfall .*", line)]
    told = re.findall(r"`(?:[A-Z_]+=\S+ )?(brookfall [^`]+)`", HANDBOOK)
    assert len(told) > 8
    for line in (*inside, *told):
        assert known(called(line)), line
    assert not known(["serve", "--no-such-option"])
    assert not known(["made-up"])


def test_every_variable_is_in_the_handbook_and_the_example_is_a_configuration(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    names = {f"{PREFIX}{name.upper()}" for name in Config.model_fields}
    assert {name for name in names if f"`{name}`" not in HANDBOOK} == set()
    lines = (DEPLOY / "brookfall.env.example").read_text().splitlines()
    given = dict(line.partition("=")[::2] for line in lines if line and not line.startswith("#"))
    unknown = set(given) - names - {"BROOKFALL_SANDBOX"}
    assert unknown == set()
    for name in names:
        monkeypatch.delenv(name, raising=False)
    for name, value in given.items():
        monkeypatch.setenv(name, value)
    made = Config()
    assert made.secure_cookies
    assert str(made.trusted_proxies[0]) == "127.0.0.1/32"
