"""People get their password by a one-time link, may have an authenticator, and stand in teams"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def _sha() -> sa.Column[str]:
    return sa.Column("sha256", sa.String(64, collation="ascii_bin"), primary_key=True)


def _person(*, key: bool = False) -> sa.Column[int]:
    return sa.Column(
        "person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False, primary_key=key, autoincrement=False
    )


def upgrade() -> None:
    """Each table is skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind()).get_table_names()
    if "password_link" not in there:
        op.create_table(
            "password_link",
            _sha(),
            _person(),
            sa.Column("made", sa.DateTime(), nullable=False),
            sa.Column("made_by", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=True),
            sa.Column("ends", sa.DateTime(), nullable=False),
            sa.Column("used", sa.DateTime(), nullable=True),
            sa.Index("ix_password_link_person_id", "person_id"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "second_factor" not in there:
        op.create_table(
            "second_factor",
            _person(key=True),
            sa.Column("secret", sa.String(255), nullable=False),
            sa.Column("begun", sa.DateTime(), nullable=False),
            sa.Column("confirmed", sa.DateTime(), nullable=True),
            sa.Column("last_step", sa.BigInteger(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "recovery_code" not in there:
        op.create_table(
            "recovery_code",
            _sha(),
            _person(),
            sa.Column("used", sa.DateTime(), nullable=True),
            sa.Index("ix_recovery_code_person_id", "person_id"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "team" not in there:
        op.create_table(
            "team",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("name", sa.String(120), nullable=False, unique=True),
            sa.Column("made", sa.DateTime(), nullable=False),
            sa.Column("closed", sa.DateTime(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "team_member" not in there:
        op.create_table(
            "team_member",
            sa.Column("team_id", sa.BigInteger(), sa.ForeignKey("team.id"), primary_key=True, autoincrement=False),
            _person(key=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "team_id" not in [column["name"] for column in inspect(op.get_bind()).get_columns("model")]:
        op.add_column("model", sa.Column("team_id", sa.BigInteger(), sa.ForeignKey("team.id"), nullable=True))
