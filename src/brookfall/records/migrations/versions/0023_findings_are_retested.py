"""Findings are retested on the version that mends them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect
from sqlalchemy.dialects import mysql

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = set(inspect(op.get_bind()).get_table_names())
    if "retest" not in there:
        op.create_table(
            "retest",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("finding_id", sa.BigInteger(), sa.ForeignKey("finding.id"), nullable=False),
            sa.Column("run_id", sa.BigInteger(), sa.ForeignKey("run.id"), nullable=False),
            sa.Column("on_case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("checks", mysql.JSON(), nullable=False),
            sa.Column("by_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("asked", sa.DateTime(), nullable=False),
            sa.Column("finished", sa.DateTime(), nullable=True),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("lease_until", sa.DateTime(), nullable=True),
            sa.Column("worker", sa.String(80), nullable=True),
            sa.Column("attempts", sa.Integer(), nullable=False),
            sa.Column("done", sa.Integer(), nullable=False),
            sa.Column("needed", sa.Integer(), nullable=False),
            sa.Column("said", sa.Text(), nullable=False),
            sa.Column("result", mysql.JSON(), nullable=True),
            sa.Column(
                "evidence_sha256",
                sa.String(64, collation="ascii_bin"),
                sa.ForeignKey("blob.sha256"),
                nullable=True,
                index=True,
            ),
            sa.Column("entry_id", sa.BigInteger(), sa.ForeignKey("finding_entry.id"), nullable=True),
            sa.Index("ix_retest_state", "state", "lease_until"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
