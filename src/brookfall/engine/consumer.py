"""How a worker hears of messages, and outlives the broker."""

import logging

from celery.worker.consumer import Consumer
from celery.worker.state import maybe_shutdown
from kombu.connection import Connection

_RETRY_SECONDS = 1

_log = logging.getLogger(__name__)


class PatientConsumer(Consumer):  # type: ignore[misc] # the library has no types
    """Asks for a broker that is gone every second, for ever: the library waits up to 30 s, and gives up in the end."""

    def ensure_connected(self, conn: Connection) -> Connection:
        self.first_connection_attempt = False
        return conn.ensure_connection(  # type: ignore[no-untyped-call]
            lambda problem, _: _log.warning("the broker does not answer: %s", problem),
            max_retries=None,
            interval_start=_RETRY_SECONDS,
            interval_step=0,
            interval_max=_RETRY_SECONDS,
            callback=maybe_shutdown,
        )
