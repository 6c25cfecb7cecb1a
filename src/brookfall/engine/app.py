"""The Celery application and its tasks; ``celery -A brookfall.engine.app worker`` finds it here."""

import threading

from celery import Celery
from celery.signals import worker_ready

from brookfall.desk.screening import look_and_keep
from brookfall.desk.time_estimate import try_and_keep
from brookfall.engine.replays import carry_out, waiting_replays
from brookfall.engine.runs import open_runs, work_on
from brookfall.engine.uploads import take_in, waiting_drafts
from brookfall.records.config import config
from brookfall.records.database import alone

_TICK_SECONDS = 4.0
_TURN_SECONDS = 2.0
_EXPIRY_SECONDS = 30
_CAN_WAIT = 5

app = Celery("brookfall", broker=config().redis_url)
app.conf.update(
    task_ignore_result=True,
    worker_prefetch_multiplier=1,
    task_acks_late=False,
    broker_connection_retry_on_startup=True,
    worker_hijack_root_logger=False,
    # Somebody waits for a look or a draft; runs, in short turns, come after them.
    task_default_priority=0,
    broker_transport_options={"queue_order_strategy": "priority", "priority_steps": [0, _CAN_WAIT]},
)


@app.task(name="brookfall.work")  # type: ignore[untyped-decorator]
def work(run_id: int) -> None:
    """Works on a run for a turn, then stands in line again. Any number of these may run at once, or twice."""
    if work_on(run_id, _TURN_SECONDS):
        work.apply_async((run_id,), expires=_EXPIRY_SECONDS, priority=_CAN_WAIT)


@app.task(name="brookfall.work_once")  # type: ignore[untyped-decorator]
def work_once(run_id: int) -> None:
    """A turn at a run whose messages may have been lost; it does not stand in line again, so that none pile up."""
    work_on(run_id, _TICK_SECONDS)


@app.task(name="brookfall.look")  # type: ignore[untyped-decorator]
def look(case_id: int) -> None:
    """Looks at a case's table and keeps what was seen."""
    look_and_keep(case_id)


@app.task(name="brookfall.intake")  # type: ignore[untyped-decorator]
def intake(draft_id: int) -> None:
    """Takes in a draft that was sent."""
    take_in(draft_id)


@app.task(name="brookfall.replay")  # type: ignore[untyped-decorator]
def replay(replay_id: int) -> None:
    """Fits and computes an exhibit again, and compares."""
    carry_out(replay_id)


@app.task(name="brookfall.trial")  # type: ignore[untyped-decorator]
def trial(case_id: int) -> None:
    """Makes small trial fits of a case's plan, one worker at a time."""
    with alone(f"trial {case_id}") as mine:
        if mine:
            try_and_keep(case_id)


class CeleryQueue:
    """Wakes every worker for a run, or one for a look, a draft, trials or a replay."""

    def __init__(self, messages: int = 8) -> None:
        self._messages = messages

    def wake(self, run_id: int) -> None:
        for _ in range(self._messages):
            work.apply_async((run_id,), expires=_EXPIRY_SECONDS, priority=_CAN_WAIT)

    def look(self, case_id: int) -> None:
        look.apply_async((case_id,), expires=_EXPIRY_SECONDS)

    def intake(self, draft_id: int) -> None:
        intake.apply_async((draft_id,), expires=_EXPIRY_SECONDS)

    def trial(self, case_id: int) -> None:
        trial.apply_async((case_id,), expires=_EXPIRY_SECONDS)

    def replay(self, replay_id: int) -> None:
        replay.apply_async((replay_id,), expires=_EXPIRY_SECONDS, priority=_CAN_WAIT)


@worker_ready.connect  # type: ignore[untyped-decorator]
def _start_ticking(**_: object) -> None:
    threading.Thread(target=_tick, daemon=True, name="tick").start()


def _tick() -> None:
    """Asks the database, again and again, for work that nobody holds: after a crash, or a lost message."""
    pause = threading.Event()
    while not pause.wait(_TICK_SECONDS):
        for run_id in open_runs():
            work_once.apply_async((run_id,), expires=_TICK_SECONDS, priority=_CAN_WAIT)
        for draft_id in waiting_drafts():
            intake.apply_async((draft_id,), expires=_TICK_SECONDS)
        for replay_id in waiting_replays():
            replay.apply_async((replay_id,), expires=_TICK_SECONDS, priority=_CAN_WAIT)
