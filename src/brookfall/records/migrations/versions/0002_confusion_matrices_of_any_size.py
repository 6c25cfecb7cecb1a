"""Confusion matrices of any size: charts kept before name four cells, charts now name classes and rows of cells"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Rewrites the charts of kept exhibits; one that is rewritten already stays as it is."""
    connection = op.get_bind()
    for key, kept in connection.execute(sa.text("SELECT id, charts FROM exhibit")).all():
        charts = json.loads(kept) if isinstance(kept, str | bytes) else kept
        renewed = [_renewed(chart) for chart in charts]
        if renewed != charts:
            connection.execute(
                sa.text("UPDATE exhibit SET charts = :charts WHERE id = :key"),
                {"charts": json.dumps(renewed), "key": key},
            )


def _renewed(chart: dict[str, Any]) -> dict[str, Any]:
    if chart.get("kind") != "matrix" or "tn" not in chart:
        return chart
    return {
        "kind": "matrix",
        "title": chart["title"],
        "classes": [f"not {chart['positive']}", chart["positive"]],
        "cells": [[chart["tn"], chart["fp"]], [chart["fn"], chart["tp"]]],
    }


def downgrade() -> None:
    """Exhibits of several classes have no older form, so there is no way back."""
    raise NotImplementedError("restore the database from before the change instead")
