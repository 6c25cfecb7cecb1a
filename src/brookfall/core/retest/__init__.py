"""Run and replay of a plan, comparison of models, rows behind a cell, the evidence file, screening of data."""
