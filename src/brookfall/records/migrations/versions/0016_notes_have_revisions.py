"""Notes have revisions, and what was asked with a key is answered once"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if "revision" not in {column["name"] for column in there.get_columns("note")}:
        op.add_column("note", sa.Column("revision", sa.Integer(), nullable=False, server_default="1"))
    if not there.has_table("idempotency_key"):
        op.create_table(
            "idempotency_key",
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), primary_key=True, autoincrement=False),
            sa.Column("key", sa.String(80), primary_key=True),
            sa.Column("asked", sa.String(64, collation="ascii_bin"), nullable=False),
            sa.Column("answer", sa.JSON(), nullable=False),
            sa.Column("created", sa.DateTime(), nullable=False),
            sa.Index("ix_idempotency_key_created", "created"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
