"""Brookfall: independent re-testing of predictive models, with the evidence kept."""

__version__ = "0.1.0"
