"""Replays of exhibits"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Skipped when it was made before: DDL here is not undone with a transaction."""
    if inspect(op.get_bind()).has_table("replay"):
        return
    op.create_table(
        "replay",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
        sa.Column("run_id", sa.BigInteger(), sa.ForeignKey("run.id"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("asked", sa.DateTime(), nullable=False),
        sa.Column("finished", sa.DateTime(), nullable=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("lease_until", sa.DateTime(), nullable=True),
        sa.Column("worker", sa.String(80), nullable=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("needed", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(20), nullable=True),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("differences", sa.JSON(), nullable=False),
        sa.Index("ix_replay_state", "state", "lease_until"),
        mysql_engine="InnoDB",
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
    )


def downgrade() -> None:
    op.drop_table("replay")
