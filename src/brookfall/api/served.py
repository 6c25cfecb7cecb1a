"""The application as a web server loads it, before its processes are forked."""

import gc

gc.disable()  # nothing that is loaded is garbage; to look for it among all that takes a fifth of the time

from flask import Flask  # noqa: E402 - after that

from brookfall.api.app import create_app  # noqa: E402
from brookfall.records.logs import log_in_json  # noqa: E402

gc.enable()


def application() -> Flask:
    """The application, ready to be asked."""
    log_in_json()
    made = create_app()
    gc.freeze()  # what is here now is never collected, so its pages stay shared
    return made
