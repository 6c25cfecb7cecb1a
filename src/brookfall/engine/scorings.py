"""What a worker does with new rows: reads the file in a confined child, has the models score it, keeps what came."""

from brookfall.core.new_rows.learned import models_asked
from brookfall.core.new_rows.match import read_new_rows
from brookfall.core.new_rows.measured import measured
from brookfall.core.new_rows.score import score_new_rows
from brookfall.core.retest.new_rows_content import content_of
from brookfall.core.table.write import parquet_of
from brookfall.desk.bench import bench_at_hand
from brookfall.desk.new_rows import SCORED, how_read
from brookfall.desk.scoring_result import kept_rows, result_of
from brookfall.engine import leases
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.database import transaction
from brookfall.records.scorings import Scoring
from brookfall.sandbox import sandbox

_LONGEST = 500


def score(scoring_id: int) -> None:
    """Scores a file of new rows, as :func:`brookfall.engine.leases.carry_out` does."""
    leases.carry_out(Scoring, scoring_id, lambda worker: _score(scoring_id, worker))


def _score(scoring_id: int, worker: str) -> None:
    with transaction() as session:
        asked = session.get_one(Scoring, scoring_id)
        case = session.get_one(Case, asked.case_id)
        bench, how = bench_at_hand(session, case), how_read(case)
        data, file = blobs.get(session, asked.file_sha256), asked.file
        names, coverage, seed = tuple(asked.models), asked.coverage, asked.seed

    def tell(doing: str, share: float) -> None:
        leases.renew(Scoring, scoring_id, worker, doing=doing[:_LONGEST], done=round(100 * share))

    tell(f"reading {file}", 0.02)
    rows = read_new_rows(bench.subject, data, file, how, sandbox.read_file)
    scored = score_new_rows(
        rows, models_asked(bench.subject, names), coverage=coverage, seed=seed,
        progress=lambda doing, share: tell(doing, 0.05 + 0.9 * share),
    )  # fmt: skip
    held, kept = measured(scored), kept_rows(scored)
    written = content_of(scored, held, bench.plan.policy.level)
    result = result_of(scored, held, written, kept)
    tell("keeping them", 0.97)
    with transaction() as session:
        table = blobs.put(session, parquet_of(kept.table))
        done = leases.end(
            session, Scoring, scoring_id, worker, state="done", said=written.answer,
            result=result.model_dump(mode="json"), table_sha256=table, done=100, doing="",
        )  # fmt: skip
        after = {"number": done.number, "sha256": done.file_sha256, "scored": table, "rows": rows.n_rows}
        audit_log.append(session, None, SCORED, f"{file}, {rows.n_rows} rows", case_id=done.case_id, after=after)
