"""What is told of scored rows beside the rows: remarks, and how right each model is, as an exhibit would tell it."""

from brookfall.core.check.check import Written
from brookfall.core.new_rows import told
from brookfall.core.new_rows.measured import Measured
from brookfall.core.new_rows.score import ScoredFile
from brookfall.desk.views import ScoredModelView, ScoringResult

_NEW_ROWS = "new_rows"
"""What stands in place of a check in the ids of what is told."""


def result_of(
    scored: ScoredFile, measured: Measured | None, written: Written, said: int, own: dict[str, str]
) -> ScoringResult:
    """The result of a scoring.

    ``said`` columns of its table are the models'; ``own`` says what the file's columns are called among the rest.
    """
    target = scored.rows.names.get(scored.subject.roles.target)
    return ScoringResult(
        rows=scored.rows.n_rows,
        said=said,
        outcome=own.get(target) if target is not None and measured is not None else None,
        models=[ScoredModelView(name=one.name, words=one.asked.words) for one in scored.models],
        remarks=list(told.remarks(scored)),
        method=list(told.method(scored)),
        measured=None if measured is None else measured.n,
        estimates=list(written.estimates(_NEW_ROWS)),
        charts=list(written.charts_in(_NEW_ROWS)),
        series=written.series,
        tables=list(written.tables_in(_NEW_ROWS)),
    )
