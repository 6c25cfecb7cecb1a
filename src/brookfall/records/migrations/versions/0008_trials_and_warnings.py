"""What fits warn of; small trial fits by which a plan's time is estimated"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One step at a time, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if "warnings" not in {column["name"] for column in there.get_columns("fit")}:
        op.add_column("fit", sa.Column("warnings", sa.JSON(), nullable=False, server_default="[]"))
    if not there.has_table("trial"):
        op.create_table(
            "trial",
            sa.Column("key", sa.String(64, collation="ascii_bin"), primary_key=True),
            sa.Column("small_rows", sa.Integer(), nullable=False),
            sa.Column("small_seconds", sa.Double(), nullable=False),
            sa.Column("large_rows", sa.Integer(), nullable=False),
            sa.Column("large_seconds", sa.Double(), nullable=False),
            sa.Column("failure", sa.Text(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )


def downgrade() -> None:
    op.drop_table("trial")
    op.drop_column("fit", "warnings")
