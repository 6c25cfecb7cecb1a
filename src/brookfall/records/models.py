"""All tables in one import, for migrations."""

from brookfall.records import cases, drafts, outcome, people, trail, work
from brookfall.records.base import Base

__all__ = ["Base", "cases", "drafts", "outcome", "people", "trail", "work"]
