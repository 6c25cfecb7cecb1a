"""What a case had once is known, so that it goes with its rows"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Skipped when it was made before: DDL here is not undone with a transaction."""
    if "dropped_column" not in inspect(op.get_bind()).get_table_names():
        op.create_table(
            "dropped_column",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("sha256", sa.String(64, collation="ascii_bin"), sa.ForeignKey("blob.sha256"), nullable=False),
            sa.UniqueConstraint("case_id", "sha256", name="uq_dropped_column"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
