"""All tables in one import, for migrations."""

from brookfall.records import audit_log, cases, drafts, findings_and_decisions, people, runs
from brookfall.records.base import Base

__all__ = ["Base", "audit_log", "cases", "drafts", "findings_and_decisions", "people", "runs"]
