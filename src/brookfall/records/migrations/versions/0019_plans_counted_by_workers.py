"""What a plan comes to is kept, and a run's fits are entered by a worker"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    if "kept_counts" not in look.get_table_names():
        op.create_table(
            "kept_counts",
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), primary_key=True),
            sa.Column("key", sa.String(length=64, collation="ascii_bin"), primary_key=True),
            sa.Column("content", sa.JSON(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "laid_out" not in {one["name"] for one in look.get_columns("run")}:
        op.add_column("run", sa.Column("laid_out", sa.DateTime(), nullable=True))
    # Until now whoever asked for a run entered its fits too.
    op.execute("UPDATE run SET laid_out = started WHERE laid_out IS NULL")
