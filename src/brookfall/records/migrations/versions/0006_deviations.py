"""Deviations from a locked plan; what each exhibit is of, so that only what changed is run again"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One step at a time, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if "deviating" not in {column["name"] for column in there.get_columns("case_file")}:
        op.add_column("case_file", sa.Column("deviating", sa.Boolean(), nullable=False, server_default="0"))
    if "content" not in {column["name"] for column in there.get_columns("run_check")}:
        content = sa.Column("content", sa.String(64, collation="ascii_bin"), nullable=False, server_default="")
        op.add_column("run_check", content)
    if not there.has_table("deviation"):
        op.create_table(
            "deviation",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("number", sa.Integer(), nullable=False),
            sa.Column("reason", sa.Text(), nullable=False),
            sa.Column("by_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("opened", sa.DateTime(), nullable=False),
            sa.Column("closed", sa.DateTime(), nullable=True),
            sa.Column("before", sa.JSON(), nullable=False),
            sa.Column("after", sa.JSON(), nullable=True),
            sa.Column("said", sa.JSON(), nullable=False),
            sa.UniqueConstraint("case_id", "number", name="uq_deviation_number"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )


def downgrade() -> None:
    op.drop_table("deviation")
    op.drop_column("run_check", "content")
    op.drop_column("case_file", "deviating")
