"""Findings have a state, and what was done about each stands beside it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    there = {one["name"] for one in look.get_columns("finding")}
    if "state" not in there:
        op.add_column("finding", sa.Column("state", sa.String(20), nullable=False, server_default="open"))
    if "until" not in there:
        op.add_column("finding", sa.Column("until", sa.Date(), nullable=True))
    if "withdrawn" in there:
        op.execute("UPDATE finding SET state = 'withdrawn' WHERE withdrawn")
        op.drop_column("finding", "withdrawn")
    if "ix_finding_state" not in {one["name"] for one in look.get_indexes("finding")}:
        op.create_index("ix_finding_state", "finding", ["state"])
    if "finding_entry" not in look.get_table_names():
        op.create_table(
            "finding_entry",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("finding_id", sa.BigInteger(), sa.ForeignKey("finding.id"), nullable=False),
            sa.Column("at", sa.DateTime(), nullable=False),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=True),
            sa.Column("act", sa.String(20), nullable=False),
            sa.Column("answer", sa.String(20), nullable=True),
            sa.Column("text", sa.Text(), nullable=False),
            sa.Column("version", sa.String(200), nullable=False, server_default=""),
            sa.Column("until", sa.Date(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "finding_file" not in look.get_table_names():
        op.create_table(
            "finding_file",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("entry_id", sa.BigInteger(), sa.ForeignKey("finding_entry.id"), nullable=False),
            sa.Column("path", sa.String(200), nullable=False),
            sa.Column("sha256", sa.String(64, collation="ascii_bin"), sa.ForeignKey("blob.sha256"), nullable=False),
            sa.Column("added", sa.DateTime(), nullable=False),
            sa.UniqueConstraint("entry_id", "path", name="uq_finding_file_path"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
