"""Candidates: all that can be scored on rows, behind one interface."""
