"""Celery: the workers that make fits and write exhibits. Messages carry ids only."""
