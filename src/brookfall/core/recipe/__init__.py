"""Declared models: families, their settings, and preprocessing learned from training rows only."""
