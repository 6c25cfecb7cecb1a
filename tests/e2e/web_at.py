"""The pages and the API of a house as they are at another moment: ``python -m tests.e2e.web_at DAYS PORT``."""

import sys
from collections.abc import Callable, Iterable
from contextlib import closing
from datetime import UTC, datetime, timedelta
from typing import Any

from werkzeug.serving import make_server

from brookfall.api.app import create_app
from brookfall.api.session import limiter
from brookfall.records.clock import clock_at


def main(days: int, port: int) -> None:
    """Serves them as they are so many days from now, until it is killed."""
    moment = datetime.now(UTC) + timedelta(days=days)
    limiter.enabled = False
    application = create_app()

    def then(environ: dict[str, Any], start: Callable[..., Any]) -> Iterable[bytes]:
        with clock_at(moment), closing(application(environ, start)) as answer:
            return list(answer)

    make_server("127.0.0.1", port, then, threaded=True).serve_forever()


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]))
