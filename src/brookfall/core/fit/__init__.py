"""Fits: requested by content, made once, read where they were made, kept in a ledger."""
