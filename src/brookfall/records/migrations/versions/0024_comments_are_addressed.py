"""Comments are addressed to people; validators share notes; plans have names"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    there = set(look.get_table_names())
    of_case = {one["name"] for one in look.get_columns("case_file")}
    if "plan_name" not in of_case:
        op.add_column("case_file", sa.Column("plan_name", sa.String(200), nullable=False, server_default=""))
    if "plan_note" not in of_case:
        op.add_column("case_file", sa.Column("plan_note", sa.Text(), nullable=False, server_default=""))
    if "mention" not in there:
        op.create_table(
            "mention",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("entry_id", sa.BigInteger(), sa.ForeignKey("finding_entry.id"), nullable=False),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("read", sa.DateTime(), nullable=True),
            sa.UniqueConstraint("entry_id", "person_id", name="uq_mention"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "shared_note" not in there:
        op.create_table(
            "shared_note",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("author_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("at", sa.DateTime(), nullable=False),
            sa.Column("text", sa.Text(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
