"""Policies that two people sign, with days to answer; standings that are overruled; templates"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def _person(name: str, *, nullable: bool) -> sa.Column[int]:
    return sa.Column(name, sa.BigInteger(), sa.ForeignKey("person.id"), nullable=nullable)


def upgrade() -> None:
    """Each is skipped when it was made before: DDL here is not undone with a transaction."""
    columns = [column["name"] for column in inspect(op.get_bind()).get_columns("finding")]
    if "answer_by" not in columns:
        op.add_column("finding", sa.Column("answer_by", sa.Date(), nullable=True))
    if "policy_version" not in inspect(op.get_bind()).get_table_names():
        op.create_table(
            "policy_version",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("number", sa.Integer(), nullable=True, unique=True),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("name", sa.String(200), nullable=False),
            sa.Column("note", sa.Text(), nullable=False),
            sa.Column("content", sa.JSON(), nullable=False),
            sa.Column("revision", sa.Integer(), nullable=False),
            _person("drafted_by", nullable=False),
            sa.Column("drafted", sa.DateTime(), nullable=False),
            sa.Column("in_force_from", sa.Date(), nullable=True),
            sa.Column(
                "text_sha256",
                sa.String(64, collation="ascii_bin"),
                sa.ForeignKey("blob.sha256"),
                nullable=True,
                index=True,
            ),
            _person("proposed_by", nullable=True),
            sa.Column("proposed", sa.DateTime(), nullable=True),
            _person("answered_by", nullable=True),
            sa.Column("answered", sa.DateTime(), nullable=True),
            sa.Column("comment", sa.Text(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "overruling" not in inspect(op.get_bind()).get_table_names():
        op.create_table(
            "overruling",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("run_id", sa.BigInteger(), sa.ForeignKey("run.id"), nullable=False),
            sa.Column("name", sa.String(40), nullable=False),
            sa.Column("content", sa.String(64, collation="ascii_bin"), nullable=False),
            sa.Column("standing", sa.String(20), nullable=False),
            sa.Column("taken_as", sa.String(20), nullable=False),
            sa.Column("reason", sa.Text(), nullable=False),
            _person("by_id", nullable=False),
            sa.Column("at", sa.DateTime(), nullable=False),
            sa.Column("taken_back", sa.DateTime(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "template" not in inspect(op.get_bind()).get_table_names():
        op.create_table(
            "template",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("kind", sa.String(20), nullable=False),
            sa.Column("name", sa.String(200), nullable=False),
            sa.Column("fits", sa.String(40), nullable=False),
            sa.Column("content", sa.JSON(), nullable=False),
            _person("made_by", nullable=False),
            sa.Column("made", sa.DateTime(), nullable=False),
            sa.Column("revision", sa.Integer(), nullable=False),
            sa.Column("closed", sa.DateTime(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
