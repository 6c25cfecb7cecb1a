"""Processes that were started here, known by pid and start time, so that nothing else is ever stopped."""

import json
import os
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import psutil

_PATIENCE = 20.0


class StartError(Exception):
    """A service did not come up; the text says which and where its log is."""


@dataclass(frozen=True)
class Keeper:
    """Starts and stops processes, with their pid files and logs under one folder."""

    folder: Path

    def start(self, name: str, command: Sequence[str], env: Mapping[str, str] | None = None) -> None:
        """Starts a process in a session of its own, so that Ctrl-C reaches only the launcher."""
        self.folder.mkdir(parents=True, exist_ok=True)
        with self.log(name).open("ab") as log:
            process = subprocess.Popen(  # noqa: S603 - commands are our own
                command,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=subprocess.STDOUT,
                env={**os.environ, **(env or {})},
                start_new_session=True,
            )
        note = {"pid": process.pid, "started": psutil.Process(process.pid).create_time()}
        self._pid_file(name).write_text(json.dumps(note))

    def find(self, name: str) -> psutil.Process | None:
        """The process of that name if it is still the one that was started here."""
        try:
            note = json.loads(self._pid_file(name).read_text())
            process = psutil.Process(note["pid"])
            same = abs(process.create_time() - note["started"]) < 0.05
            return process if same and process.status() != psutil.STATUS_ZOMBIE else None
        except (OSError, ValueError, KeyError, psutil.NoSuchProcess):
            return None

    def stop(self, name: str, patience: float = _PATIENCE) -> None:
        """Asks the process and its children to end, and ends them when they do not."""
        process = self.find(name)
        if process is not None:
            family = [process, *process.children(recursive=True)]
            process.terminate()
            _, alive = psutil.wait_procs(family, timeout=patience)
            for stubborn in alive:
                stubborn.kill()
            psutil.wait_procs(alive, timeout=5)
        self._pid_file(name).unlink(missing_ok=True)

    def names(self) -> list[str]:
        """Every process ever started here that has not been stopped."""
        return sorted(path.stem for path in self.folder.glob("*.pid"))

    def log(self, name: str) -> Path:
        return self.folder / f"{name}.log"

    def wait(self, name: str, ready: Callable[[], bool], patience: float = 60.0) -> None:
        """Waits until ``ready`` says so; StartError when the process ends or time is up."""
        deadline = time.monotonic() + patience
        while not ready():
            if self.find(name) is None:
                raise StartError(f"{name} ended at its start; see {self.log(name)}")
            if time.monotonic() > deadline:
                raise StartError(f"{name} did not answer within {patience:.0f} seconds; see {self.log(name)}")
            time.sleep(0.05)

    def _pid_file(self, name: str) -> Path:
        return self.folder / f"{name}.pid"
