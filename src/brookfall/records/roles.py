"""The roles that people can have."""

ROLES = ("owner", "reviewer", "countersigner", "auditor", "administrator")
