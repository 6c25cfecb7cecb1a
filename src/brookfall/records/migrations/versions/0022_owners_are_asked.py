"""The reviewer asks the owner; a case is handed on, and keeps who ever reviewed it; a person has an inbox"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect
from sqlalchemy.dialects import mysql

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    there = set(look.get_table_names())
    of_case = {one["name"] for one in look.get_columns("case_file")}
    if "looked" not in {one["name"] for one in look.get_columns("person")}:
        op.add_column("person", sa.Column("looked", sa.DateTime(), nullable=True))
    if "priority" not in of_case:
        op.add_column("case_file", sa.Column("priority", sa.String(10), nullable=False, server_default="normal"))
    if "reviewed_by" not in of_case:
        op.add_column("case_file", sa.Column("reviewed_by", mysql.JSON(), nullable=False, server_default="[]"))
    op.execute(
        "UPDATE case_file SET reviewed_by = JSON_ARRAY(reviewer_id)"
        " WHERE reviewer_id IS NOT NULL AND JSON_LENGTH(reviewed_by) = 0"
    )
    for name, columns in _tables().items():
        if name not in there:
            op.create_table(
                name, *columns, mysql_engine="InnoDB", mysql_charset="utf8mb4", mysql_collate="utf8mb4_nopad_bin"
            )


def _tables() -> dict[str, list[sa.Column[object] | sa.UniqueConstraint]]:
    return {
        "owner_question": [
            _key(),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("number", sa.Integer(), nullable=False),
            sa.Column("text", sa.Text(), nullable=False),
            sa.Column("about", mysql.JSON(), nullable=True),
            sa.Column("due", sa.Date(), nullable=True),
            sa.Column("holds", sa.Boolean(), nullable=False),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("revision", sa.Integer(), nullable=False),
            sa.Column("asked", sa.DateTime(), nullable=False),
            sa.Column("asked_by_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.UniqueConstraint("case_id", "number", name="uq_owner_question_number"),
        ],
        "owner_question_entry": [
            _key(),
            sa.Column("question_id", sa.BigInteger(), sa.ForeignKey("owner_question.id"), nullable=False),
            sa.Column("at", sa.DateTime(), nullable=False),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("act", sa.String(20), nullable=False),
            sa.Column("text", sa.Text(), nullable=False),
        ],
        "owner_question_file": [
            _key(),
            sa.Column("entry_id", sa.BigInteger(), sa.ForeignKey("owner_question_entry.id"), nullable=False),
            sa.Column("path", sa.String(200), nullable=False),
            sa.Column("sha256", sa.String(64, collation="ascii_bin"), sa.ForeignKey("blob.sha256"), nullable=False),
            sa.Column("added", sa.DateTime(), nullable=False),
            sa.UniqueConstraint("entry_id", "path", name="uq_owner_question_file_path"),
        ],
    }


def _key() -> sa.Column[object]:
    return sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True)
