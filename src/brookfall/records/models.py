"""All tables in one import, for migrations."""

from brookfall.records import (
    approvals,
    audit_log,
    cases,
    drafts,
    erasures,
    findings_and_decisions,
    idempotency,
    inventory,
    letters,
    people,
    policies,
    questions,
    record_key,
    renditions,
    retests,
    runs,
    security_log,
)
from brookfall.records.base import Base

__all__ = [
    "Base",
    "approvals",
    "audit_log",
    "cases",
    "drafts",
    "erasures",
    "findings_and_decisions",
    "idempotency",
    "inventory",
    "letters",
    "people",
    "policies",
    "questions",
    "record_key",
    "renditions",
    "retests",
    "runs",
    "security_log",
]
