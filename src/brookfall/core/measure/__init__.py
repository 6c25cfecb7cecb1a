"""Measures with their intervals. Nothing here is ever a bare float."""
