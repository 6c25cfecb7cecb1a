"""Personal tokens, by which a script acts for a person"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Skipped when it was done before: DDL here is not undone with a transaction."""
    if inspect(op.get_bind()).has_table("token"):
        return
    op.create_table(
        "token",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("used", sa.DateTime(), nullable=True),
        sa.Column("revoked", sa.DateTime(), nullable=True),
        sa.UniqueConstraint("sha256", name="uq_token_sha256"),
        mysql_engine="InnoDB",
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
    )


def downgrade() -> None:
    op.drop_table("token")
