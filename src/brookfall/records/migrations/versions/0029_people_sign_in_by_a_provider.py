"""Who people are to the house's own provider, and codes to sign with that it led to"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Each is skipped when it was made before: DDL here is not undone with a transaction."""
    sha = sa.String(64, collation="ascii_bin")
    columns = [column["name"] for column in inspect(op.get_bind()).get_columns("person")]
    if "subject_sha256" not in columns:
        op.add_column("person", sa.Column("subject_sha256", sha, nullable=True, unique=True))
    if "signing_code" not in inspect(op.get_bind()).get_table_names():
        op.create_table(
            "signing_code",
            sa.Column("sha256", sha, primary_key=True),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False, index=True),
            sa.Column("ends", sa.DateTime(), nullable=False),
            sa.Column("used", sa.DateTime(), nullable=True),
            sa.Column("second_factor", sa.Boolean(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
