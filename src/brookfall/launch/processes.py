"""The processes of one folder, kept up by a supervisor of its own: what is killed is started again."""

import hashlib
import os
import shlex
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xmlrpc.client import Fault, ServerProxy

import psutil
from supervisor.xmlrpc import SupervisorTransport

_PATIENCE = 20.0
_NO_SUCH, _NOT_RUNNING, _STILL_RUNNING = 10, 70, 91
"""The supervisor's numbers: a name that it does not know; a process that has ended already; one that has not."""


class StartError(Exception):
    """A service did not come up; the text says which and where its log is."""


@dataclass(frozen=True)
class Keeper:
    """Starts and stops processes, with their logs under one folder.

    They are children of a supervisor that outlives this process. Each carries the supervisor's address in its
    environment: by that, and not by a number that may be somebody else's by now, what a killed supervisor left is
    told from everything else.
    """

    folder: Path

    def start(self, name: str, command: Sequence[str], env: Mapping[str, str] | None = None) -> None:
        """Has the process started, and started anew whenever it ends."""
        program = self._program(name)
        program.parent.mkdir(parents=True, exist_ok=True)
        program.touch(mode=0o600)  # the environment has secrets
        self.log(name).touch()
        whole = {**os.environ, **(env or {})}
        program.write_text(_written(name, [_found(command[0]), *command[1:]], whole, self.log(name)))
        self.bring_up()
        with self._supervisor() as supervisor:
            _, changed, _ = supervisor.reloadConfig()[0]
            if name in changed:
                supervisor.stopProcessGroup(name)
                supervisor.removeProcessGroup(name)
            if name not in {one["group"] for one in supervisor.getAllProcessInfo()}:
                supervisor.addProcessGroup(name)

    def bring_up(self) -> bool:
        """Starts the supervisor and all that it knows, where it does not run. False where it did."""
        if self._runs():
            return False
        self._end_orphans()
        (self.folder / "programs").mkdir(parents=True, exist_ok=True)
        settings = self.folder / "supervisor.conf"
        settings.write_text(_settings(self.folder, self._socket))
        with self.log("supervisor").open("ab") as log:
            # In a session of its own, so that Ctrl-C reaches only the launcher.
            process = subprocess.Popen(  # noqa: S603 - our own command
                [sys.executable, "-m", "supervisor.supervisord", "--nodaemon", f"--configuration={settings}"],
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=subprocess.STDOUT,
                start_new_session=True,
            )
        deadline = time.monotonic() + _PATIENCE
        while not self._runs():
            if process.poll() is not None or time.monotonic() > deadline:
                raise StartError(f"the supervisor did not come up; see {self.log('supervisor')}")
            time.sleep(0.02)
        return True

    def find(self, name: str) -> psutil.Process | None:
        """The process of that name, if it runs."""
        if not self._runs():
            return None
        with self._supervisor() as supervisor:
            try:
                pid = supervisor.getProcessInfo(name)["pid"]
            except Fault:
                return None
        try:
            return psutil.Process(pid) if pid else None
        except psutil.NoSuchProcess:
            return None

    def stop(self, name: str, patience: float = _PATIENCE) -> None:
        """Asks the process and its children to end, ends them when they do not, and starts them no more."""
        process = self.find(name)
        family = [process, *process.children(recursive=True)] if process is not None else []
        if self._runs():
            with self._supervisor() as supervisor:
                with _forgiven(_NO_SUCH, _NOT_RUNNING):
                    supervisor.stopProcess(name, False)
                _end(family, patience)
                _let_go(supervisor, name)
        self._program(name).unlink(missing_ok=True)

    def names(self) -> list[str]:
        """Every process ever started here that has not been stopped."""
        return sorted(path.stem for path in (self.folder / "programs").glob("*.conf"))

    def close(self) -> None:
        """Ends the supervisor, and with it whatever it still keeps up."""
        if self._runs():
            with self._supervisor() as supervisor:
                pid = supervisor.getPID()
                supervisor.shutdown()
            _end([psutil.Process(pid)] if psutil.pid_exists(pid) else [], _PATIENCE)
        self._end_orphans()

    def orphans(self) -> Iterator[psutil.Process]:
        """What a supervisor of this folder started and left behind; none while it runs."""
        if self._runs():
            return
        for process in psutil.process_iter():
            try:
                if process.environ().get("SUPERVISOR_SERVER_URL") == self._address and is_alive(process):
                    yield process
            except psutil.Error:
                continue

    def _end_orphans(self) -> None:
        left = list(self.orphans())
        for process in left:
            with suppress(psutil.NoSuchProcess):
                process.terminate()
        _end(left, 5)

    def log(self, name: str) -> Path:
        return self.folder / f"{name}.log"

    def wait(self, name: str, ready: Callable[[], bool], patience: float = 60.0) -> None:
        """Waits until ``ready`` says so; StartError when the process ends or time is up."""
        deadline = time.monotonic() + patience
        while not ready():
            with self._supervisor() as supervisor:
                state = supervisor.getProcessInfo(name)["statename"]
            if state not in ("STARTING", "RUNNING"):
                raise StartError(f"{name} ended at its start; see {self.log(name)}")
            if time.monotonic() > deadline:
                raise StartError(f"{name} did not answer within {patience:.0f} seconds; see {self.log(name)}")
            time.sleep(0.05)

    def _program(self, name: str) -> Path:
        return self.folder / "programs" / f"{name}.conf"

    @property
    def _socket(self) -> str:
        # A short path: the system gives up on one of more than 107 characters.
        return f"/tmp/bf-{hashlib.sha256(str(self.folder).encode()).hexdigest()[:12]}-s.sock"  # noqa: S108

    @property
    def _address(self) -> str:
        return f"unix://{self._socket}"

    def _runs(self) -> bool:
        try:
            with self._supervisor() as supervisor:
                return bool(supervisor.getState()["statename"] == "RUNNING")
        except (OSError, Fault):
            return False

    @contextmanager
    def _supervisor(self) -> Iterator[Any]:
        with ServerProxy("http://supervisor", SupervisorTransport(serverurl=self._address)) as proxy:
            yield proxy.supervisor


@contextmanager
def _forgiven(*codes: int) -> Iterator[None]:
    try:
        yield
    except Fault as fault:
        if fault.faultCode not in codes:
            raise


def _let_go(supervisor: Any, name: str) -> None:
    """The supervisor hears of an end a moment after it, and forgets no process before."""
    deadline = time.monotonic() + _PATIENCE
    while time.monotonic() < deadline:
        with _forgiven(_NO_SUCH, _STILL_RUNNING):
            supervisor.removeProcessGroup(name)
        if name not in {one["group"] for one in supervisor.getAllProcessInfo()}:
            return
        time.sleep(0.02)
    raise StartError(f"{name} did not end within {_PATIENCE:.0f} seconds")


def _end(family: list[psutil.Process], patience: float) -> None:
    """Waits for these to end, and ends those that do not in time."""
    deadline = time.monotonic() + patience
    while any(map(is_alive, family)) and time.monotonic() < deadline:
        time.sleep(0.02)
    for stubborn in filter(is_alive, family):
        with suppress(psutil.NoSuchProcess):
            stubborn.kill()
    deadline = time.monotonic() + 5
    while any(map(is_alive, family)) and time.monotonic() < deadline:
        time.sleep(0.02)


def is_alive(process: psutil.Process) -> bool:
    """Whether it runs: one that has ended and that nobody has asked about since does not."""
    try:
        return bool(process.is_running() and process.status() != psutil.STATUS_ZOMBIE)
    except psutil.NoSuchProcess:
        return False


def _found(command: str) -> str:
    """The command's whole path: the supervisor looks nowhere else."""
    path = shutil.which(command)
    if path is None:
        raise StartError(f"{command} is not installed; 'make setup' installs it")
    return path


def _can_be_told(key: str, value: str) -> bool:
    return key.isidentifier() and not key.startswith("SUPERVISOR_") and value.isprintable() and '"' not in value


def _settings(folder: Path, socket: str) -> str:
    return "\n".join(
        [
            "[supervisord]",
            f"logfile={folder / 'supervisor.log'}",
            f"pidfile={folder / 'supervisor.pid'}",
            f"directory={folder}",
            "logfile_backups=1",
            "[unix_http_server]",
            f"file={socket}",
            "chmod=0700",
            "[rpcinterface:supervisor]",
            "supervisor.rpcinterface_factory = supervisor.rpcinterface:make_main_rpcinterface",
            "[include]",
            f"files={folder / 'programs' / '*.conf'}",
            "",
        ]
    ).replace("%", "%%")


def _written(name: str, command: list[str], env: Mapping[str, str], log: Path) -> str:
    """The supervisor's entry of a program: it is started again at once, as often as it ends.

    It has this process's environment and not the supervisor's, which may be older; but for what can't be written there.
    """
    told = ",".join(f'{key}="{value}"' for key, value in env.items() if _can_be_told(key, value))
    return "\n".join(
        [
            f"[program:{name}]",
            f"command={shlex.join(command)}",
            f"environment={told}",
            "autorestart=true",
            "startretries=1000000",
            "startsecs=1",
            "stopwaitsecs=20",
            f"stdout_logfile={log}",
            "redirect_stderr=true",
            "stdout_logfile_maxbytes=20MB",
            "stdout_logfile_backups=1",
            "",
        ]
    ).replace("%", "%%")
