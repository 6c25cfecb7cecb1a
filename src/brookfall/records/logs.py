"""The log of a process: one JSON object a line, with the request, person, case or run that each was about.

Nothing of a row or a secret: what an exception says is left out where it may quote one; where it happened is not.
"""

import logging
import sys
import traceback
from pathlib import Path
from types import TracebackType
from typing import Any

import structlog
from sqlalchemy.exc import SQLAlchemyError
from structlog.typing import EventDict, Processor, WrappedLogger

from brookfall.core.foundation.errors import UserError

_PROJECT = Path(__file__).resolve().parents[1]
_ROWS_PASS = ("core", "sandbox", "report")
"""The parts of the program whose exceptions may quote what a stranger sent."""
_OF_OTHERS = ("gunicorn.error", "gunicorn.access", "celery", "werkzeug")


def log_in_json() -> None:
    """This process writes its log to standard error, all libraries' lines too, each as an object."""
    of_each: list[Processor] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.add_log_level,
        structlog.stdlib.add_logger_name,
        structlog.processors.TimeStamper(fmt="iso", utc=True, key="at"),
        structlog.stdlib.ExtraAdder(),
        _told_carefully,
    ]
    formatter = structlog.stdlib.ProcessorFormatter(
        foreign_pre_chain=of_each,
        processors=[
            structlog.stdlib.ProcessorFormatter.remove_processors_meta,
            structlog.processors.EventRenamer("said"),
            structlog.processors.JSONRenderer(ensure_ascii=False),
        ],
    )
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(formatter)
    root = logging.getLogger()
    root.handlers = [handler]
    root.setLevel(logging.WARNING)
    logging.getLogger("brookfall").setLevel(logging.INFO)
    for name in _OF_OTHERS:
        other = logging.getLogger(name)
        other.handlers, other.propagate = [], True


def _told_carefully(_logger: WrappedLogger, _method: str, event: EventDict) -> EventDict:
    """An exception as its kind, where it came from, and what it says if that can quote nothing."""
    told = event.pop("exc_info", None)
    if told is True:
        told = sys.exc_info()
    if isinstance(told, BaseException):
        told = (type(told), told, told.__traceback__)
    if told and told[1] is not None:
        event["exception"] = exception_told(told[1])
    return event


def exception_told(error: BaseException) -> dict[str, Any]:
    """An exception for the log, with those that it came from."""
    told: dict[str, Any] = {
        "kind": f"{type(error).__module__}.{type(error).__qualname__}",
        "at": _frames(error.__traceback__),
    }
    if _quotes_nothing(error):
        told["says"] = str(error)
    cause = error.__cause__ or (None if error.__suppress_context__ else error.__context__)
    if cause is not None:
        told["from"] = exception_told(cause)
    return told


def _frames(trace: TracebackType | None) -> list[str]:
    return [f"{frame.filename}:{frame.lineno} {frame.name}" for frame in traceback.extract_tb(trace)]


def _quotes_nothing(error: BaseException) -> bool:
    """Whether what it says can't be a cell, a name or a word that somebody typed."""
    if isinstance(error, UserError | SQLAlchemyError):
        return False
    files = [Path(frame.filename) for frame in traceback.extract_tb(error.__traceback__)]
    ours = [file.relative_to(_PROJECT).parts[0] for file in files if file.is_relative_to(_PROJECT)]
    return not any(part in _ROWS_PASS for part in ours)
