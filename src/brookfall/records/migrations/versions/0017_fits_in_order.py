"""A run's fits have an order, and how much of the run each is; runs take turns"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect
from sqlalchemy.dialects import mysql

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    if "served" not in {column["name"] for column in look.get_columns("run")}:
        op.add_column("run", sa.Column("served", mysql.DATETIME(fsp=6), nullable=True))
    there = {column["name"] for column in look.get_columns("run_fit")}
    if "place" not in there:
        op.add_column("run_fit", sa.Column("place", sa.Integer(), nullable=False, server_default="0"))
    if "seconds" not in there:
        op.add_column("run_fit", sa.Column("seconds", sa.Double(), nullable=False, server_default="0"))
