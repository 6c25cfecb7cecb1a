"""Flask: HTTP in front of the desk. Nothing is decided here."""
