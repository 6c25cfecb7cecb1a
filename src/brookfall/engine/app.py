"""The Celery application and its one task; ``celery -A brookfall.engine.app worker`` finds it here."""

import threading

from celery import Celery
from celery.signals import worker_ready

from brookfall.desk.look import look_and_keep
from brookfall.engine.work import open_runs, work_on
from brookfall.records.config import config

_TICK_SECONDS = 4.0

app = Celery("brookfall", broker=config().redis_url)
app.conf.update(
    task_ignore_result=True,
    worker_prefetch_multiplier=1,
    task_acks_late=False,
    broker_connection_retry_on_startup=True,
    worker_hijack_root_logger=False,
)


@app.task(name="brookfall.work")  # type: ignore[untyped-decorator]
def work(run_id: int) -> None:
    """Works on a run until nothing of it waits. Any number of these may run at once, or twice."""
    work_on(run_id)


@app.task(name="brookfall.look")  # type: ignore[untyped-decorator]
def look(case_id: int) -> None:
    """Looks at a case's table and keeps what was seen."""
    look_and_keep(case_id)


class CeleryQueue:
    """Wakes every worker for a run, or one for a look."""

    def __init__(self, messages: int = 8) -> None:
        self._messages = messages

    def wake(self, run_id: int) -> None:
        for _ in range(self._messages):
            work.apply_async((run_id,), expires=30)

    def look(self, case_id: int) -> None:
        look.apply_async((case_id,), expires=30)


@worker_ready.connect  # type: ignore[untyped-decorator]
def _start_ticking(**_: object) -> None:
    threading.Thread(target=_tick, daemon=True, name="tick").start()


def _tick() -> None:
    """Asks the database, again and again, for runs with work that nobody holds: after a crash, or a lost message."""
    pause = threading.Event()
    while not pause.wait(_TICK_SECONDS):
        for run_id in open_runs():
            work.apply_async((run_id,), expires=_TICK_SECONDS)
