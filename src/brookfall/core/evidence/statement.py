"""A statement: a written exhibit, the reviewer's judgement of what no computation answers."""

from datetime import datetime

from pydantic import BaseModel, ConfigDict

from brookfall.core.evidence.limit import Standing


class AttachedFile(BaseModel):
    """A file beside a statement: its name, its size in bytes, and the hash of what was kept."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    path: str
    size: int
    sha256: str


class Statement(BaseModel):
    """What was asked, what the reviewer judges, how it stands and why; ``name`` is empty where no policy asked.

    ``written`` is the moment of its last change, in UTC.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    number: int
    name: str
    question: int
    title: str
    asks: str
    judgement: str
    standing: Standing
    reason: str
    files: tuple[AttachedFile, ...]
    by: str
    written: datetime
