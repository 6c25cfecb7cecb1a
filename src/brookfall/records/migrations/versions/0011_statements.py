"""Statements: written exhibits of the reviewer's, with files attached"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One table at a time, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if not there.has_table("statement"):
        op.create_table(
            "statement",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("number", sa.Integer(), nullable=False),
            sa.Column("name", sa.String(40), nullable=False),
            sa.Column("question", sa.Integer(), nullable=False),
            sa.Column("title", sa.String(200), nullable=False),
            sa.Column("asks", sa.Text(), nullable=False),
            sa.Column("judgement", sa.Text(), nullable=False),
            sa.Column("standing", sa.String(20), nullable=False),
            sa.Column("reason", sa.Text(), nullable=False),
            sa.Column("withdrawn", sa.Boolean(), nullable=False),
            sa.Column("author_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("revision", sa.Integer(), nullable=False),
            sa.Column("changed", sa.DateTime(), nullable=False),
            sa.UniqueConstraint("case_id", "number", name="uq_statement_number"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if not there.has_table("statement_file"):
        op.create_table(
            "statement_file",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("statement_id", sa.BigInteger(), sa.ForeignKey("statement.id"), nullable=False),
            sa.Column("path", sa.String(200), nullable=False),
            sa.Column("sha256", sa.String(64, collation="ascii_bin"), sa.ForeignKey("blob.sha256"), nullable=False),
            sa.Column("added", sa.DateTime(), nullable=False),
            sa.UniqueConstraint("statement_id", "path", name="uq_statement_file_path"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )


def downgrade() -> None:
    op.drop_table("statement_file")
    op.drop_table("statement")
