"""Entries of the record are signed, and keys are announced in it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Entries that are there stay as they are: a signature says who wrote an entry, and that can't be made up for."""
    there = inspect(op.get_bind())
    columns = {column["name"] for column in there.get_columns("record_entry")}
    if "key_id" not in columns:
        op.add_column("record_entry", sa.Column("key_id", sa.String(16), nullable=True))
    if "signature" not in columns:
        op.add_column("record_entry", sa.Column("signature", sa.String(88), nullable=True))
    if not there.has_table("announced_key"):
        op.create_table(
            "announced_key",
            sa.Column("id", sa.String(16), primary_key=True),
            sa.Column("public", sa.String(64), nullable=False),
            sa.Column("entry_id", sa.BigInteger(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
