"""Sessions kept on the server, people disabled, tokens with scopes and an end, and a security log"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def _columns(table: str) -> set[str]:
    return {column["name"] for column in inspect(op.get_bind()).get_columns(table)}


def upgrade() -> None:
    """One statement a step, each skipped when it was made before. Tokens that are there go on for a year."""
    there = inspect(op.get_bind())
    if "disabled" not in _columns("person"):
        op.add_column("person", sa.Column("disabled", sa.DateTime(), nullable=True))
    if "scopes" not in _columns("token"):
        op.add_column("token", sa.Column("scopes", sa.JSON(), nullable=False, server_default='["read", "submit"]'))
    op.alter_column("token", "scopes", existing_type=sa.JSON(), existing_nullable=False, server_default=None)
    if "ends" not in _columns("token"):
        op.add_column("token", sa.Column("ends", sa.DateTime(), nullable=True))
    op.execute("UPDATE token SET ends = UTC_TIMESTAMP() + INTERVAL 365 DAY WHERE ends IS NULL")
    op.alter_column("token", "ends", existing_type=sa.DateTime(), nullable=False)
    if not there.has_table("browser_session"):
        op.create_table(
            "browser_session",
            sa.Column("sha256", sa.String(64, collation="ascii_bin"), primary_key=True),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False, index=True),
            sa.Column("began", sa.DateTime(), nullable=False),
            sa.Column("seen", sa.DateTime(), nullable=False),
            sa.Column("ended", sa.DateTime(), nullable=True),
            sa.Column("address", sa.String(45), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if not there.has_table("security_event"):
        op.create_table(
            "security_event",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("at", sa.DateTime(), nullable=False, index=True),
            sa.Column("what", sa.String(40), nullable=False),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=True),
            sa.Column("login", sa.String(80), nullable=False),
            sa.Column("address", sa.String(45), nullable=False),
            sa.Column("detail", sa.String(200), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
