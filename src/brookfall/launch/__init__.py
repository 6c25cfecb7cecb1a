"""Starts a whole Brookfall on loopback: MariaDB, Redis, workers and the web server, each of its own."""
