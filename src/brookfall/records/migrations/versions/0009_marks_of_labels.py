"""What reviewers say of single labels, on the case and as each run took it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One step at a time, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    for table in ("case_file", "run"):
        if "label_marks" not in {column["name"] for column in there.get_columns(table)}:
            op.add_column(table, sa.Column("label_marks", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("run", "label_marks")
    op.drop_column("case_file", "label_marks")
