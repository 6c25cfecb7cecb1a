"""All tables in one import, for migrations."""

from brookfall.records import cases, outcome, people, trail, work
from brookfall.records.base import Base

__all__ = ["Base", "cases", "outcome", "people", "trail", "work"]
