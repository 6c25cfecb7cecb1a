"""Rows that came later: matched with what a model learned from, scored, and held against it."""
