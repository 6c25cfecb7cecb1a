"""Policies, limits, standings: what must be kept, and whether it is."""
