"""Screening: what is wrong with the data and what each column is, before any plan."""
