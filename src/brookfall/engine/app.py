"""The Celery application and its tasks; ``celery -A brookfall.engine.app worker`` finds it here."""

import logging
import threading
from collections.abc import Callable, Iterable, Sequence
from inspect import signature
from typing import Any

from celery import Celery, Task
from celery.signals import setup_logging, task_postrun, task_prerun, worker_ready
from kombu.exceptions import OperationalError as BrokerError
from structlog.contextvars import bind_contextvars, clear_contextvars

from brookfall.desk.plan_counts import count_and_keep
from brookfall.desk.screening import look_and_keep
from brookfall.desk.time_estimate import try_and_keep
from brookfall.engine import retests, scorings
from brookfall.engine.anchors import keep_anchored
from brookfall.engine.beats import LINES, RUNS, SHORT, beat
from brookfall.engine.erasures import agreed, clear_cache, take_rows_away
from brookfall.engine.housekeeping import keep_house
from brookfall.engine.leases import this_worker, waiting
from brookfall.engine.letters import see_to_letters
from brookfall.engine.renditions import draw_exhibit, numbers_of, render
from brookfall.engine.replays import carry_out, is_short
from brookfall.engine.runs import is_running, next_run, open_runs, work_on
from brookfall.engine.uploads import take_in
from brookfall.records.config import config
from brookfall.records.database import alone
from brookfall.records.drafts import Draft
from brookfall.records.logs import log_in_json
from brookfall.records.renditions import Rendition
from brookfall.records.retests import Retest
from brookfall.records.runs import Replay
from brookfall.records.scorings import Scoring

_TICK_SECONDS = 4.0
_TURN_SECONDS = 2.0
_EXPIRY_SECONDS = 30
_CAN_WAIT, _LAST = 5, 9
_DRAWING_EXPIRES = 3600
_CLOCK, _POST = "clock", "post"
_POST_SECONDS = 20.0

_log = logging.getLogger(__name__)

app = Celery("brookfall", broker=config().redis_url)
app.conf.update(
    task_ignore_result=True,
    worker_prefetch_multiplier=1,
    task_acks_late=False,
    broker_connection_retry_on_startup=True,
    worker_consumer="brookfall.engine.consumer:PatientConsumer",
    worker_hijack_root_logger=False,
    task_default_queue=SHORT,
    task_routes={
        f"brookfall.{name}": RUNS for name in ("work", "work_once", "draw", "render", "erase", "retest", "score")
    },
    # Where one worker is for everything: somebody waits for a look or a draft; runs, in turns, come after them.
    task_default_priority=0,
    broker_transport_options={"queue_order_strategy": "priority", "priority_steps": [0, _CAN_WAIT, _LAST]},
)


@app.task(name="brookfall.work")  # type: ignore[untyped-decorator]
def work(run_id: int) -> None:
    """Works for a turn on the run whose turn it is, and stands in line again until the run that it was sent for ends.

    Any number of these may run at once, or twice.
    """
    _take_turn(run_id, _TURN_SECONDS)
    if is_running(run_id):
        work.apply_async((run_id,), expires=_EXPIRY_SECONDS, priority=_CAN_WAIT)


@app.task(name="brookfall.work_once")  # type: ignore[untyped-decorator]
def work_once(run_id: int) -> None:
    """A turn where messages may have been lost; it does not stand in line again, so that none pile up."""
    _take_turn(run_id, _TICK_SECONDS)


def _take_turn(asked_for: int, seconds: float) -> None:
    run_id = next_run() or asked_for
    bind_contextvars(run_id=run_id)  # the log is about the run that is worked on
    work_on(run_id, seconds, _draw_all)


@app.task(name="brookfall.draw")  # type: ignore[untyped-decorator]
def draw(run_id: int, number: int) -> None:
    """Draws the charts of an exhibit for the report, when there is nothing else to do."""
    draw_exhibit(run_id, number)


def _draw_all(run_id: int) -> None:
    """Has the charts of a finished run drawn. What gets lost is drawn when a report wants it."""
    for number in numbers_of(run_id):
        _send(draw, run_id, number, expires=_DRAWING_EXPIRES, priority=_LAST)


@app.task(name="brookfall.render")  # type: ignore[untyped-decorator]
def render_report(rendition_id: int) -> None:
    """Makes the pages of a report."""
    render(rendition_id)


@app.task(name="brookfall.erase")  # type: ignore[untyped-decorator]
def erase(erasure_id: int) -> None:
    """Takes the rows of a case away, as two people agreed."""
    take_rows_away(erasure_id)
    clear_cache()


@app.task(name="brookfall.look")  # type: ignore[untyped-decorator]
def look(case_id: int) -> None:
    """Looks at a case's table and keeps what was seen."""
    look_and_keep(case_id)


@app.task(name="brookfall.intake")  # type: ignore[untyped-decorator]
def intake(draft_id: int) -> None:
    """Takes in a draft that was sent."""
    take_in(draft_id)
    for scoring_id in waiting(Scoring):
        _send(score, scoring_id, priority=_CAN_WAIT)


@app.task(name="brookfall.replay")  # type: ignore[untyped-decorator]
def replay(replay_id: int) -> None:
    """Fits and computes an exhibit again, and compares."""
    carry_out(replay_id)


@app.task(name="brookfall.retest")  # type: ignore[untyped-decorator]
def retest(retest_id: int) -> None:
    """Runs what a finding cites on the version that mends it, and compares."""
    retests.carry_out(retest_id)


@app.task(name="brookfall.score")  # type: ignore[untyped-decorator]
def score(scoring_id: int) -> None:
    """Has new rows scored by models of a case."""
    scorings.score(scoring_id)


@app.task(name="brookfall.trial")  # type: ignore[untyped-decorator]
def trial(case_id: int) -> None:
    """Makes small trial fits of a case's plan, one worker at a time."""
    with alone(f"trial {case_id}") as mine:
        if mine:
            try_and_keep(case_id)


@app.task(name="brookfall.count")  # type: ignore[untyped-decorator]
def count(case_id: int) -> None:
    """Counts what a case's plan comes to, one worker at a time."""
    with alone(f"count {case_id}") as mine:
        if mine:
            count_and_keep(case_id)


def _send(
    task: Task, *keys: int, expires: float = _EXPIRY_SECONDS, priority: int = 0, times: int = 1, line: str | None = None
) -> None:
    """Wakes a worker, or as many as ``times``. A broker that is gone loses no work: what is to be done stands in the
    database, and workers look there."""
    try:
        for _ in range(times):
            task.apply_async(keys, expires=expires, priority=priority, queue=line)
    except BrokerError as problem:
        _log.warning("the broker does not answer, nobody was woken: %s", problem)


class CeleryQueue:
    """Wakes every worker for a run, or one for anything else that was asked for; or leaves it to their own clock."""

    def __init__(self, messages: int = 8) -> None:
        self._messages = messages

    def wake(self, run_id: int) -> None:
        _send(work, run_id, priority=_CAN_WAIT, times=self._messages)

    def look(self, case_id: int) -> None:
        _send(look, case_id)

    def count(self, case_id: int) -> None:
        _send(count, case_id)

    def intake(self, draft_id: int) -> None:
        _send(intake, draft_id)

    def trial(self, case_id: int) -> None:
        _send(trial, case_id)

    def replay(self, replay_id: int) -> None:
        _send(replay, replay_id, **_line_of(replay_id))

    def retest(self, retest_id: int) -> None:
        _send(retest, retest_id, priority=_CAN_WAIT)

    def render(self, rendition_id: int) -> None:
        _send(render_report, rendition_id)

    def erase(self, erasure_id: int) -> None:
        _send(erase, erasure_id)


def _line_of(replay_id: int) -> dict[str, Any]:
    """A replay of a few seconds is waited for; a long one takes its turn with the runs."""
    return {"line": SHORT} if is_short(replay_id) else {"line": RUNS, "priority": _CAN_WAIT}


@setup_logging.connect  # type: ignore[untyped-decorator]
def _set_up_logging(**_: object) -> None:
    log_in_json()


@task_prerun.connect  # type: ignore[untyped-decorator]
def _begin_to_log(sender: Task, args: Sequence[int], **_: object) -> None:
    """What a task's lines in the log are about: its name, and the run, case or other that it was asked for."""
    bind_contextvars(task=sender.name, **dict(zip(signature(sender.run).parameters, args, strict=False)))


@task_postrun.connect  # type: ignore[untyped-decorator]
def _end_to_log(**_: object) -> None:
    clear_contextvars()


@worker_ready.connect  # type: ignore[untyped-decorator]
def _start_ticking(**_: object) -> None:
    # It is called again whenever the broker came back.
    running = {thread.name for thread in threading.enumerate()}
    if _CLOCK not in running:
        lines = tuple(line for line in LINES if line in app.amqp.queues.consume_from)
        threading.Thread(target=_tick_for_ever, args=(lines,), daemon=True, name=_CLOCK).start()
    if _POST not in running and config().mail_server is not None:
        threading.Thread(target=_post_for_ever, daemon=True, name=_POST).start()


def _tick_for_ever(lines: Sequence[str]) -> None:
    pause = threading.Event()
    chores: tuple[Callable[[], None], ...] = (
        lambda: beat(this_worker(), lines),
        _wake,
        _anchor,
        keep_house,
        clear_cache,
    )
    tick(chores)  # at once: what was asked for while nobody was there waits for it
    while not pause.wait(_TICK_SECONDS):
        tick(chores)


def _post_for_ever() -> None:
    """Beside the clock: a mail server that answers slowly, or not at all, holds up no beat of it."""
    pause = threading.Event()
    while not pause.wait(_POST_SECONDS):
        tick((see_to_letters,))


def tick(chores: Iterable[Callable[[], None]]) -> None:
    """Does each of these, whatever becomes of the others: an outage of any kind must not stop the clock, as nobody
    starts it again."""
    for chore in chores:
        try:
            chore()
        except Exception:  # noqa: BLE001 - as said
            _log.exception("the clock missed a beat")


def _anchor() -> None:
    if (file := config().anchor_file) is not None:
        keep_anchored(file)


def _wake() -> None:
    """Asks the database for work that nobody holds: after a crash, an outage or a lost message."""
    for run_id in open_runs():
        work_once.apply_async((run_id,), expires=_TICK_SECONDS, priority=_CAN_WAIT)
    for draft_id in waiting(Draft):
        intake.apply_async((draft_id,), expires=_TICK_SECONDS)
    for replay_id in waiting(Replay):
        _send(replay, replay_id, expires=_TICK_SECONDS, **_line_of(replay_id))
    for retest_id in waiting(Retest):
        retest.apply_async((retest_id,), expires=_TICK_SECONDS, priority=_CAN_WAIT)
    for scoring_id in waiting(Scoring):
        score.apply_async((scoring_id,), expires=_TICK_SECONDS, priority=_CAN_WAIT)
    for rendition_id in waiting(Rendition):
        render_report.apply_async((rendition_id,), expires=_TICK_SECONDS)
    for erasure_id in agreed():
        _send(erase, erasure_id, expires=_TICK_SECONDS, priority=_CAN_WAIT)
