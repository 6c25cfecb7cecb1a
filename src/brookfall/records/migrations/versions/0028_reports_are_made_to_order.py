"""Reports are made to order: what was asked for, and the form that they are made in"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """What was rendered until now is the whole report, which an empty order asks for."""
    there = [column["name"] for column in inspect(op.get_bind()).get_columns("rendition")]
    for name in ("ordered", "form"):
        if name not in there:
            op.add_column("rendition", sa.Column(name, sa.JSON(), nullable=False, server_default="{}"))
            op.alter_column("rendition", name, existing_type=sa.JSON(), existing_nullable=False, server_default=None)
