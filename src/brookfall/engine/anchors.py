"""What a worker's clock does for the record: once a day its head goes to a file outside the database."""

import time
from pathlib import Path

from brookfall.records.anchors import EVERY, anchor_when_due
from brookfall.records.database import alone, transaction


def keep_anchored(file: Path) -> None:
    """Adds an anchor where the last one is a day old; one worker at a time."""
    if file.is_file() and time.time() - file.stat().st_mtime < EVERY.total_seconds():
        return
    with alone("anchor") as mine:
        if mine:
            with transaction() as session:
                anchor_when_due(session, file)
