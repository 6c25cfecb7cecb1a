"""Anchors: once a day the record's head goes to a file outside the database, so that no end of it can be cut off."""

import errno
import json
import os
from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy.orm import Session

from brookfall.core.foundation import digest
from brookfall.core.foundation.signature import is_signed
from brookfall.records.audit_log import ChainCheck, RecordEntry, RecordHead
from brookfall.records.clock import now
from brookfall.records.record_key import record_key

EVERY = timedelta(days=1)


@dataclass(frozen=True)
class Anchor:
    """How far the record went at a moment, in UTC, signed by the key it had."""

    at: str
    entries: int
    hash: str
    key_id: str
    signature: str

    @property
    def text(self) -> str:
        """What is signed."""
        return digest.canonical([self.at, self.entries, self.hash]).decode()

    @property
    def line(self) -> str:
        """The anchor as it stands in a file of them."""
        return json.dumps(asdict(self))


def anchor_when_due(session: Session, file: Path) -> bool:
    """Adds the head of the record to the file if the last anchor is a day old, or there is none; whether it did."""
    last = read_anchors(file)[-1:]
    if last and now() - datetime.fromisoformat(last[0].at) < EVERY:
        return False
    head = session.get(RecordHead, 1)
    if head is None:
        return False
    file.parent.mkdir(parents=True, exist_ok=True)
    _add_line(file, anchor_of(head).line.encode() + b"\n")
    return True


def anchor_of(head: RecordHead) -> Anchor:
    """How far the record goes now, signed."""
    key = record_key()
    unsigned = Anchor(now().isoformat(), head.entries, head.hash, key.id, "")
    return replace(unsigned, signature=key.sign(unsigned.text))


def _add_line(file: Path, line: bytes) -> None:
    """Adds a line, whole or not at all: half of one would be an anchor that nobody can read."""
    with file.open("ab", buffering=0) as stream:
        before = stream.tell()
        try:
            if stream.write(line) != len(line):
                raise OSError(errno.ENOSPC, "no room for the whole line")
            os.fsync(stream.fileno())
        except OSError:
            stream.truncate(before)
            raise


def read_anchors(file: Path) -> list[Anchor]:
    """The anchors of a file, the oldest first; none where it is not there.

    Raises
    ------
    ValueError
        A line is no anchor.
    """
    if not file.is_file():
        return []
    return [_anchor(line, number) for number, line in enumerate(file.read_text(encoding="utf-8").splitlines(), 1)]


def fault_of(session: Session, anchors: list[Anchor], chain: ChainCheck) -> str | None:
    """What anchors say that the record does not: that it went further, or was another."""
    for anchor in anchors:
        public = chain.keys.get(anchor.key_id)
        if public is None or not is_signed(public, anchor.text, anchor.signature):
            return f"the anchor of {anchor.at} is signed by no key of the record"
        if anchor.entries > chain.entries:
            return f"on {anchor.at} there were {anchor.entries} entries, and now there are {chain.entries}"
        entry = session.get(RecordEntry, anchor.entries)
        if entry is None or entry.hash != anchor.hash:
            return f"entry {anchor.entries} is not the one that stood there on {anchor.at}"
    return None


def _anchor(line: str, number: int) -> Anchor:
    try:
        return Anchor(**json.loads(line))
    except (TypeError, ValueError):
        raise ValueError(f"line {number} is no anchor") from None
