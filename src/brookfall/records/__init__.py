"""What is kept: SQLAlchemy models, migrations, the stored ledger, the append-only record."""
