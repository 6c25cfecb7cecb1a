"""Plans of open cases say their revision and name checks as they are called now; exhibits count what is open"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_CALLED_SINCE = {
    "selection": "groups",
    "selection_pairs": "combinations",
    "errors": "groups",
    "errors_pairs": "combinations",
}


def upgrade() -> None:
    """Rewrites the plans of cases that are not decided; one that is rewritten already stays as it is.

    Decided cases are only read: their plans stay as they were signed.
    """
    connection = op.get_bind()
    if "open" not in {column["name"] for column in inspect(connection).get_columns("exhibit")}:
        op.add_column("exhibit", sa.Column("open", sa.Integer(), nullable=True))
    cases = connection.execute(sa.text("SELECT id, plan FROM case_file WHERE state <> 'decided'")).all()
    for key, kept in cases:
        plan = json.loads(kept) if isinstance(kept, str | bytes) else kept
        if "revision" not in plan:
            connection.execute(
                sa.text("UPDATE case_file SET plan = :plan WHERE id = :key"),
                {"plan": json.dumps(_renewed(plan)), "key": key},
            )


def _renewed(plan: dict[str, Any]) -> dict[str, Any]:
    checks = list(dict.fromkeys(_CALLED_SINCE.get(name, name) for name in plan.get("checks", [])))
    return {**plan, "checks": checks, "policy": {**plan["policy"], "revision": 2}, "revision": 2}


def downgrade() -> None:
    """What a plan was called before is not kept, so there is no way back."""
    raise NotImplementedError("restore the database from before the change instead")
