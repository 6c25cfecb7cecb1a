"""Rows of decided cases can be taken away after their term, by two people together"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect
from sqlalchemy.dialects import mysql

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    for table, column in (("blob", "erased"), ("case_file", "rows_taken")):
        if column not in {one["name"] for one in look.get_columns(table)}:
            op.add_column(table, sa.Column(column, sa.DateTime(), nullable=True))
    if "erasure" not in look.get_table_names():
        op.create_table(
            "erasure",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("reason", sa.Text(), nullable=False),
            sa.Column("proposed_by", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("proposed", sa.DateTime(), nullable=False),
            sa.Column("answered_by", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=True),
            sa.Column("answered", sa.DateTime(), nullable=True),
            sa.Column("comment", sa.Text(), nullable=False),
            sa.Column("finished", sa.DateTime(), nullable=True),
            sa.Column("files", mysql.JSON(), nullable=False),
            sa.Column("columns", mysql.JSON(), nullable=False),
            sa.Column("done", sa.Integer(), nullable=False),
            sa.Column("shared", sa.Integer(), nullable=False),
            sa.Column("freed", sa.BigInteger(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
