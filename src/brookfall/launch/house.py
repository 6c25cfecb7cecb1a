"""One Brookfall on this machine: its folder, its ports, its secrets, its services."""

import getpass
import hashlib
import json
import os
import secrets
import shutil
import socket
import subprocess
import sys
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import httpx
import mariadb
import redis

from brookfall.core.foundation.one_thread import ONE_THREAD
from brookfall.launch.processes import Keeper, StartError
from brookfall.launch.provider_stand_in import CLIENT_ID, CLIENT_SECRET
from brookfall.records.record_key import make_key

_FIRST_PORT, _PORTS = 10000, 22000
"""Where ports of our own are looked for, but for those that the system gives to whoever asks somebody else."""
_WEB_PATIENCE = 300.0
"""Seconds: 15 of work at its start, beside workers that start too, and other houses where tests run side by side."""
_LENT = Path("/proc/sys/net/ipv4/ip_local_port_range")
_COMMAND = [sys.executable, "-m", "brookfall.cli"]
"""What operators call ``brookfall``, in this environment whatever the path."""

APPLICATION = "brookfall"
"""The database user that the application runs as."""


@dataclass(frozen=True)
class House:
    """A named instance under ``.run/NAME`` of the project; ``demo`` and ``test`` live side by side."""

    project: Path
    name: str
    mails: bool = False
    signs_in_by: Mapping[str, Mapping[str, Any]] = field(default_factory=dict, hash=False)

    @property
    def _mail(self) -> dict[str, str]:
        """A house that mails: to a stand-in on loopback, as nobody out there is to get letters of made-up models."""
        return {
            "BROOKFALL_MAIL_SERVER": f"smtp://127.0.0.1:{self.settings['mail_port']}",
            "BROOKFALL_MAIL_FROM": "brookfall@hollinmoor.example",
            "BROOKFALL_PUBLIC_URL": self.address,
        }

    @property
    def _provider(self) -> dict[str, str]:
        """A house whose people can sign in by a provider of its own: a stand-in on loopback that knows these people."""
        roles = sorted({role for person in self.signs_in_by.values() for role in person["roles"]})
        return {
            "BROOKFALL_PROVIDER_URL": f"http://127.0.0.1:{self.settings['provider_port']}",
            "BROOKFALL_PROVIDER_NAME": "the county's sign-in",
            "BROOKFALL_PROVIDER_CLIENT_ID": CLIENT_ID,
            "BROOKFALL_PROVIDER_CLIENT_SECRET": CLIENT_SECRET,
            "BROOKFALL_PROVIDER_ROLES": ",".join(f"{role}={role}" for role in roles),
            "BROOKFALL_PUBLIC_URL": self.address,
        }

    @property
    def folder(self) -> Path:
        return self.project / ".run" / self.name

    @property
    def keeper(self) -> Keeper:
        return Keeper(self.folder / "processes")

    @cached_property
    def settings(self) -> dict[str, str]:
        """Ports and secrets, made once and kept readable by this user alone."""
        file = self.folder / "settings.json"
        if file.is_file():
            kept: dict[str, str] = json.loads(file.read_text())
            for stand_in in ("mail", "provider"):
                if f"{stand_in}_port" not in kept:
                    kept[f"{stand_in}_port"] = str(_free_ports(f"{self.project}/{self.name}/{stand_in}", 1)[0])
                    file.write_text(json.dumps(kept, indent=1))
            return kept
        self.folder.mkdir(parents=True, exist_ok=True)
        ports = _free_ports(f"{self.project}/{self.name}", 5)
        made = {
            "mariadb_port": str(ports[0]),
            "redis_port": str(ports[1]),
            "web_port": str(ports[2]),
            "mail_port": str(ports[3]),
            "provider_port": str(ports[4]),
            "owner_password": secrets.token_hex(16),
            "app_password": secrets.token_hex(16),
            "secret_key": secrets.token_hex(32),
        }
        file.touch(mode=0o600)
        file.write_text(json.dumps(made, indent=1))
        return made

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.settings['web_port']}"

    @property
    def environment(self) -> dict[str, str]:
        """The configuration that every process of this instance runs with."""
        kept = self.settings
        at = f"127.0.0.1:{kept['mariadb_port']}/brookfall"
        return {
            "BROOKFALL_DATABASE_URL": f"mariadb+mariadbconnector://{APPLICATION}:{kept['app_password']}@{at}",
            "BROOKFALL_REDIS_URL": f"redis://127.0.0.1:{kept['redis_port']}/0",
            "BROOKFALL_SECRET_KEY": kept["secret_key"],
            "BROOKFALL_CACHE_DIR": str(self.folder / "cache"),
            "BROOKFALL_RECORD_KEY_FILE": str(self.record_key_file),
            "BROOKFALL_ANCHOR_FILE": str(self.folder / "anchors.jsonl"),
            "BROOKFALL_SANDBOX": "best",
            "BROOKFALL_SECURE_COOKIES": "no",
            **(self._mail if self.mails else {}),
            **(self._provider if self.signs_in_by else {}),
            **ONE_THREAD,
        }

    @property
    def mail_folder(self) -> Path:
        """Where the stand-in for a mail server puts what it is given."""
        return self.folder / "mail"

    @property
    def record_key_file(self) -> Path:
        """The key that signs the record, made once."""
        file = self.folder / "record.key"
        if not file.is_file():
            file.parent.mkdir(parents=True, exist_ok=True)
            make_key(file)
        return file

    @property
    def owner_url(self) -> str:
        """The database as who owns its tables: for migrations, and in no process's environment."""
        kept = self.settings
        at = f"127.0.0.1:{kept['mariadb_port']}/brookfall"
        return f"mariadb+mariadbconnector://brookfall_owner:{kept['owner_password']}@{at}"

    @property
    def _socket(self) -> str:
        # A short path: MariaDB gives up on one of more than 107 characters.
        return f"/tmp/bf-{hashlib.sha256(str(self.folder).encode()).hexdigest()[:12]}.sock"  # noqa: S108

    def start_stores(self) -> None:
        """MariaDB and Redis, on loopback, with their data under this instance's folder."""
        self._start_mariadb()
        self._start_redis()

    def start_workers(self, count: int, *, apart: bool = True) -> None:
        """So many workers for runs, and one beside them for what is short; or, not ``apart``, so many for both."""
        self.start_worker("runs", "runs" if apart else "short,runs", count)
        if apart:
            self.start_worker("short", "short")

    def start_worker(self, name: str, line: str, count: int = 1) -> None:
        """A worker of one process and one thread, or several that one parent keeps up."""
        processes = ["--processes", str(count)]
        command = [*_COMMAND, "work", "--name", f"{name}-{self.name}", "--for", line, *processes, *_nice()]
        self.keeper.stop(f"worker-{name}", patience=5)
        self.keeper.start(f"worker-{name}", command, self.environment)

    def start_provider(self) -> None:
        """The stand-in for a provider of the house's own."""
        command = [sys.executable, "-m", "brookfall.launch.provider_stand_in", self.settings["provider_port"]]
        self.keeper.stop("provider", patience=5)
        self.keeper.start("provider", [*command, json.dumps(self.signs_in_by)])

    def start_mail(self) -> None:
        """The stand-in for a mail server."""
        command = [sys.executable, "-m", "brookfall.launch.mail_stand_in", self.settings["mail_port"]]
        self.keeper.stop("mail", patience=5)
        self.keeper.start("mail", [*command, str(self.mail_folder)])

    def start_web(self) -> None:
        port = self.settings["web_port"]
        command = [*_COMMAND, "serve", "--bind", f"127.0.0.1:{port}"]
        self.keeper.stop("web", patience=5)
        self.keeper.start("web", command, self.environment)
        self.keeper.wait("web", lambda: _serves(int(port)), _WEB_PATIENCE)

    def stop(self, patience: float = 20) -> None:
        """Stops everything of this instance: the web first, the stores last; what takes longer is ended."""
        names = self.keeper.names()
        stores = [name for name in ("redis", "mariadb") if name in names]
        for name in [name for name in names if name not in stores] + stores:
            self.keeper.stop(name, patience)
        self.keeper.close()

    def clear(self) -> None:
        """Stops everything and takes the data away."""
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)

    def _start_mariadb(self) -> None:
        data = self.folder / "mariadb"
        user = getpass.getuser()
        # Two servers that start at once take each other's temporary tables for their own where they share a folder.
        scratch = self.folder / "tmp"
        scratch.mkdir(parents=True, exist_ok=True)
        if not (data / "mysql").is_dir():
            shutil.rmtree(data, ignore_errors=True)
            data.mkdir(parents=True)
            _run(
                [
                    "mariadb-install-db",
                    "--no-defaults",
                    f"--datadir={data}",
                    f"--tmpdir={scratch}",
                    f"--user={user}",
                    "--skip-test-db",
                    "--auth-root-authentication-method=socket",
                    f"--auth-root-socket-user={user}",
                ]
            )
        self.keeper.stop("mariadb")
        port = self.settings["mariadb_port"]
        self.keeper.start(
            "mariadb",
            [
                "mariadbd",
                "--no-defaults",
                f"--datadir={data}",
                f"--tmpdir={scratch}",
                f"--socket={self._socket}",
                f"--user={user}",
                f"--port={port}",
                "--bind-address=127.0.0.1",
                "--innodb-buffer-pool-size=512M",
                "--max-allowed-packet=64M",
                "--character-set-server=utf8mb4",
                "--max-connections=200",
            ],
        )
        self.keeper.wait("mariadb", lambda: Path(self._socket).exists() and _answers(int(port)))
        self._make_users(user)

    def _make_users(self, user: str) -> None:
        with mariadb.connect(unix_socket=self._socket, user=user) as connection, connection.cursor() as cursor:
            cursor.execute("CREATE DATABASE IF NOT EXISTS brookfall CHARACTER SET utf8mb4")
            for name, word in (("brookfall_owner", "owner_password"), (APPLICATION, "app_password")):
                cursor.execute(f"CREATE USER IF NOT EXISTS {name}@'%' IDENTIFIED BY ?", (self.settings[word],))
            # Databases beside it too: tests and migrations that are tried on a copy have some of their own.
            for database in ("brookfall", r"brookfall\_%"):
                cursor.execute(f"GRANT ALL ON `{database}`.* TO brookfall_owner@'%' WITH GRANT OPTION")

    def _start_redis(self) -> None:
        data = self.folder / "redis"
        data.mkdir(parents=True, exist_ok=True)
        self.keeper.stop("redis")
        port = self.settings["redis_port"]
        self.keeper.start(
            "redis",
            [
                "redis-server",
                "--port",
                port,
                "--bind",
                "127.0.0.1",
                "--dir",
                str(data),
                "--save",
                "",
                "--appendonly",
                "no",
            ],
        )
        self.keeper.wait("redis", lambda: _pings(int(port)))


def workers_wanted() -> int:
    """A worker a core, or BROOKFALL_WORKERS."""
    return int(os.environ.get("BROOKFALL_WORKERS", os.cpu_count() or 1))


def _nice() -> list[str]:
    """By how much workers give way: as the command says, or BROOKFALL_NICE."""
    return ["--nice", os.environ["BROOKFALL_NICE"]] if "BROOKFALL_NICE" in os.environ else []


def _free_ports(seed: str, count: int) -> list[int]:
    """Ports that nobody listens on and, where the system has others to lend, that no connection has as its own end."""
    first, last = map(int, _LENT.read_text().split()) if _LENT.is_file() else (0, 0)
    all_ports = range(_FIRST_PORT, _FIRST_PORT + _PORTS)
    ours = [port for port in all_ports if not first <= port <= last] or list(all_ports)
    start = int(hashlib.sha256(seed.encode()).hexdigest(), 16) % len(ours)
    free: list[int] = []
    for port in ours[start:] + ours[:start]:
        if not _answers(port):
            free.append(port)
        if len(free) == count:
            return free
    raise StartError("no free port was found on loopback")


def _answers(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(0.5)
        # A port that nobody listens on can be given to the probe itself, which is then connected to nobody else.
        return probe.connect_ex(("127.0.0.1", port)) == 0 and probe.getsockname() != probe.getpeername()


def _serves(port: int) -> bool:
    try:
        return httpx.get(f"http://127.0.0.1:{port}/healthz", timeout=2).is_success
    except httpx.HTTPError:
        return False


def _pings(port: int) -> bool:
    try:
        return bool(redis.Redis(host="127.0.0.1", port=port, socket_timeout=0.5).ping())
    except redis.RedisError:
        return False


def _run(command: list[str]) -> None:
    done = subprocess.run(command, capture_output=True, text=True, check=False)  # noqa: S603 - commands are our own
    if done.returncode:
        raise StartError(f"{command[0]} failed: {done.stdout[-500:]}{done.stderr[-500:]}")
