"""Versions of a table, tables beside it, and what was seen when looking at them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was done before: DDL here is not undone with a transaction."""
    columns = {name: _columns(name) for name in ("case_file", "stored_column")}
    if "changes" not in columns["case_file"]:
        op.add_column("case_file", sa.Column("changes", sa.JSON(), nullable=False, server_default="[]"))
    if "table_version" not in columns["case_file"]:
        op.add_column("case_file", sa.Column("table_version", sa.Integer(), nullable=False, server_default="1"))
    if "table_name" not in columns["stored_column"]:
        op.add_column("stored_column", sa.Column("table_name", sa.String(200), nullable=False, server_default=""))
    if "version" not in columns["stored_column"]:
        op.add_column("stored_column", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
    unique = {one["name"] for one in inspect(op.get_bind()).get_unique_constraints("stored_column")}
    if "uq_stored_column_place" not in unique:
        # Before the old one goes, since the foreign key of case_id needs an index that begins with it.
        op.create_unique_constraint(
            "uq_stored_column_place", "stored_column", ["case_id", "table_name", "version", "position"]
        )
    if "uq_stored_column_position" in unique:
        op.drop_constraint("uq_stored_column_position", "stored_column", type_="unique")
    if not inspect(op.get_bind()).has_table("kept_look"):
        op.create_table(
            "kept_look",
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), primary_key=True),
            sa.Column("key", sa.String(length=64, collation="ascii_bin"), primary_key=True),
            sa.Column("content", sa.JSON(), nullable=True),
            sa.Column("fault", sa.Text(), nullable=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )


def _columns(table: str) -> set[str]:
    return {column["name"] for column in inspect(op.get_bind()).get_columns(table)}


def downgrade() -> None:
    """Versions of a table have no place in the older form, so there is no way back."""
    raise NotImplementedError("restore the database from before the change instead")
