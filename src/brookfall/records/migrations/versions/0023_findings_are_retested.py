"""Findings are retested on the version that mends them; people are written to"""

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
    look = inspect(op.get_bind())
    there = set(look.get_table_names())
    of_person = {one["name"] for one in look.get_columns("person")}
    if "mail" not in of_person:
        op.add_column("person", sa.Column("mail", sa.String(320), nullable=True))
    if "mail_when" not in of_person:
        op.add_column("person", sa.Column("mail_when", sa.String(10), nullable=False, server_default="at_once"))
    if "tier" not in {one["name"] for one in look.get_columns("model")}:
        op.add_column("model", sa.Column("tier", sa.Integer(), nullable=True))
    if "begun_from" not in {one["name"] for one in look.get_columns("case_file")}:
        op.add_column("case_file", sa.Column("begun_from", sa.BigInteger(), nullable=True))
    if "fk_case_file_begun_from" not in {one["name"] for one in look.get_foreign_keys("case_file")}:
        op.create_foreign_key("fk_case_file_begun_from", "case_file", "case_file", ["begun_from"], ["id"])
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
    if "letter" not in there:
        op.create_table(
            "letter",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("address", sa.String(320), nullable=False),
            sa.Column("subject", sa.String(200), nullable=False),
            sa.Column("text", sa.Text(), nullable=False),
            sa.Column("html", sa.Text(), nullable=False),
            sa.Column("written", sa.DateTime(), nullable=False),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("attempts", sa.Integer(), nullable=False),
            sa.Column("next_try", sa.DateTime(), nullable=False),
            sa.Column("said", sa.Text(), nullable=False),
            sa.Index("ix_letter_state", "state", "next_try"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "told_of" not in there:
        op.create_table(
            "told_of",
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), primary_key=True, autoincrement=False),
            sa.Column("waits", mysql.JSON(), nullable=False),
            sa.Column("entry", sa.BigInteger(), nullable=False),
            sa.Column("digest", sa.Date(), nullable=True),
            sa.Column("head", sa.Date(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
