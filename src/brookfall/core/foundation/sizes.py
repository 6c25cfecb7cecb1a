"""Sizes that several parts keep to."""

DEFAULT_MAX_BYTES = 2_000_000_000
"""Bytes of all files of a package together, unpacked: a million rows by two hundred columns as text."""
