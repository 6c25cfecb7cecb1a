"""The report of a case: HTML, PDF and JSON evidence from the same exhibits."""
