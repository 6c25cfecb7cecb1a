"""Drafts of submissions, their files piece by piece; tables that a reviewer adds to a case"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect
from sqlalchemy.dialects.mysql import MEDIUMBLOB

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One step at a time, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if "added" not in {column["name"] for column in there.get_columns("case_file")}:
        op.add_column("case_file", sa.Column("added", sa.JSON(), nullable=False, server_default="[]"))
    if not there.has_table("draft"):
        op.create_table(
            "draft",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("brief", sa.JSON(), nullable=False),
            sa.Column("due", sa.Date(), nullable=True),
            sa.Column("revision", sa.Integer(), nullable=False),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("doing", sa.String(500), nullable=False),
            sa.Column("share", sa.Double(), nullable=False),
            sa.Column("lease_until", sa.DateTime(), nullable=True),
            sa.Column("worker", sa.String(80), nullable=True),
            sa.Column("attempts", sa.Integer(), nullable=False),
            sa.Column("fault", sa.JSON(), nullable=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=True),
            sa.Column("added_to", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=True),
            sa.Column("created", sa.DateTime(), nullable=False),
            sa.Column("changed", sa.DateTime(), nullable=False),
            sa.Index("ix_draft_state", "state", "lease_until"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if not there.has_table("draft_file"):
        op.create_table(
            "draft_file",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("draft_id", sa.BigInteger(), sa.ForeignKey("draft.id", ondelete="CASCADE"), nullable=False),
            sa.Column("path", sa.String(500), nullable=False),
            sa.Column("stamp", sa.String(100), nullable=False),
            sa.Column("size", sa.BigInteger(), nullable=False),
            sa.Column("received", sa.BigInteger(), nullable=False),
            sa.UniqueConstraint("draft_id", "path", name="uq_draft_file_path"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if not there.has_table("draft_piece"):
        op.create_table(
            "draft_piece",
            sa.Column("file_id", sa.BigInteger(), sa.ForeignKey("draft_file.id", ondelete="CASCADE"), primary_key=True),
            sa.Column("start", sa.BigInteger(), primary_key=True, autoincrement=False),
            sa.Column("sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
            sa.Column("data", MEDIUMBLOB(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )


def downgrade() -> None:
    for table in ("draft_piece", "draft_file", "draft"):
        op.drop_table(table)
    op.drop_column("case_file", "added")
