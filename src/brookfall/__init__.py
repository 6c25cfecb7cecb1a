"""Brookfall: independent re-testing of predictive models, with the evidence kept."""
