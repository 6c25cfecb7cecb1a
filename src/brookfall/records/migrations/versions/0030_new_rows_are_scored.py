"""Files of new rows are scored by models of a case"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def _blob(name: str, *, nullable: bool = False) -> sa.Column[str]:
    return sa.Column(name, sa.String(64, collation="ascii_bin"), sa.ForeignKey("blob.sha256"), nullable=nullable)


def upgrade() -> None:
    """What was made before is left: DDL here is not undone with a transaction."""
    seen = inspect(op.get_bind())
    if "scored" not in [column["name"] for column in seen.get_columns("draft")]:
        op.add_column("draft", sa.Column("scored", sa.Boolean(), nullable=False, server_default="0"))
        op.alter_column("draft", "scored", existing_type=sa.Boolean(), existing_nullable=False, server_default=None)
    if "scoring" in seen.get_table_names():
        return
    op.create_table(
        "scoring",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("by_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("file", sa.String(500), nullable=False),
        _blob("file_sha256"),
        sa.Column("layout", sa.String(64, collation="ascii_bin"), nullable=False),
        sa.Column("models", sa.JSON(), nullable=False),
        sa.Column("coverage", sa.Double(), nullable=False),
        sa.Column("seed", sa.Integer(), nullable=False),
        sa.Column("asked", sa.DateTime(), nullable=False),
        sa.Column("finished", sa.DateTime(), nullable=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("lease_until", sa.DateTime(), nullable=True),
        sa.Column("worker", sa.String(80), nullable=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("needed", sa.Integer(), nullable=False),
        sa.Column("doing", sa.String(500), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("result", sa.JSON(), nullable=True),
        _blob("table_sha256", nullable=True),
        sa.Index("ix_scoring_state", "state", "lease_until"),
        sa.Index("uq_scoring_number", "case_id", "number", unique=True),
        sa.Index("ix_scoring_file_sha256", "file_sha256"),
        sa.Index("ix_scoring_table_sha256", "table_sha256"),
        mysql_engine="InnoDB",
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
    )
