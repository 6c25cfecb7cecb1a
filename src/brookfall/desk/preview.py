"""A data file looked at before it is submitted: how it would be read, and what its columns would be taken for."""

from brookfall.core.table.profile import profile_column
from brookfall.core.table.read_options import HowRead
from brookfall.desk.views import Preview, PreviewColumn
from brookfall.sandbox import sandbox

_EXAMPLES = 3
_LINE_ENDS = (b"\n", b"\r")


def preview(data: bytes, file: str, how: HowRead, *, whole: bool) -> Preview:
    """Reads a file, or its beginning up to the last whole line; UserError says why it can't be read."""
    if not whole:
        cut = max(data.rfind(end) for end in _LINE_ENDS)
        data = data[: cut + 1] if cut > 0 else data
    read = sandbox.read_file(data, file, how)
    columns = []
    for column in read.table.columns:
        shown = dict.fromkeys(text for text in column.texts()[:200] if text is not None)
        columns.append(
            PreviewColumn(
                name=column.name,
                kind=column.kind,
                words=profile_column(column).words,
                examples=list(shown)[:_EXAMPLES],
            )
        )
    return Preview(
        how=read.how,
        words=read.how.words,
        sheets=list(read.sheets),
        rows=read.table.n_rows,
        whole=whole,
        columns=columns,
    )
