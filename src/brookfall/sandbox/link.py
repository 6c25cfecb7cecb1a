"""A link to a disposable child: begun, its answers believed or not, ended."""

import logging
import os
import signal
import socket
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from prometheus_client import Counter

from brookfall.core.foundation.errors import UserError
from brookfall.sandbox import frames
from brookfall.sandbox.children import server
from brookfall.sandbox.limits import Limits

_log = logging.getLogger(__name__)

REQUIRED = "full"
"""What ``BROOKFALL_SANDBOX`` is unless it is set: reading is refused where a child can't be confined. With ``best`` it
is confined as far as the machine allows."""

_START_SECONDS = 60.0
KILLS = Counter("brookfall_sandbox_kills", "Children ended at a limit, by which.", ["limit"])
SMALLER = "Send a smaller or simpler file: only the cells that hold the table, as CSV or Parquet."


def believed(answer: dict[str, Any], limits: Limits, about: str) -> dict[str, Any]:
    """What a child answers; UserError where it refused what it read, failed at it, or ran out of memory."""
    if refused := answer.get("refused"):
        raise UserError(
            refused["what"],
            todo=refused["todo"],
            file=refused["file"],
            column=refused["column"],
            row=refused["row"],
        )
    if "fault" in answer:
        _log.error("reading %s failed: %s", about, answer["fault"])
        raise UserError(
            "Something in it is not as such a file should be, in a way that nobody foresaw; it was logged.",
            todo="Save it again in another way, or ask the administrator.",
            file=about,
        )
    if "answer" not in answer:
        raise ended(limits, about)
    found: dict[str, Any] = answer["answer"]
    return found


def ended(limits: Limits, about: str) -> UserError:
    """What is said where a child is gone: it took more memory than it may."""
    KILLS.labels("memory").inc()
    return UserError(f"Reading it takes more than {limits.memory / 1e9:.1f} GB of memory.", todo=SMALLER, file=about)


def refuse_unconfined(missing: list[str], about: str) -> None:
    """UserError where this machine can't confine a child and nobody said that it may be asked all the same."""
    if missing and os.environ.get("BROOKFALL_SANDBOX", REQUIRED) != "best":
        raise UserError(
            f"Files can't be read safely on this machine: {'; '.join(missing)}.",
            todo="Ask the administrator; docs/architecture.md says what BROOKFALL_SANDBOX may be.",
            file=about,
        )


def begin(limits: Limits, libraries: Sequence[str] = ()) -> tuple[socket.socket, dict[str, Any]]:
    """A child that waits for its task, with these libraries loaded, and what it says of itself."""
    for attempt in (1, 2):
        link = server.link(limits, libraries)
        link.settimeout(_START_SECONDS)
        try:
            hello, _ = frames.receive(link, 0)
        except (frames.EndedError, OSError):
            link.close()
            if attempt == 2:
                raise
        else:
            return link, hello
    raise AssertionError("unreachable")


def end(link: socket.socket, pid: int) -> None:
    """Ends the child and whatever it started: it leads a session of its own."""
    link.close()
    with suppress(ProcessLookupError, PermissionError):
        os.killpg(pid, signal.SIGKILL)
