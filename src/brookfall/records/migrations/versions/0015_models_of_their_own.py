"""Models have a key, an owner and members, and versions belong to them. One owner's cases of a name are one model's"""

import re

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect, text

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if not there.has_table("model"):
        op.create_table(
            "model",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("key", sa.String(80), nullable=False),
            sa.Column("name", sa.String(200), nullable=False),
            sa.Column(
                "owner_id", sa.BigInteger(), sa.ForeignKey("person.id", name="fk_model_owner_id"), nullable=False
            ),
            sa.Column("in_use", sa.String(40), nullable=True),
            sa.Column("created", sa.DateTime(), nullable=False),
            sa.UniqueConstraint("key", name="uq_model_key"),
            sa.UniqueConstraint("owner_id", "name", name="uq_model_owner_name"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if not there.has_table("model_member"):
        op.create_table(
            "model_member",
            sa.Column("model_id", sa.BigInteger(), sa.ForeignKey("model.id"), primary_key=True),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), primary_key=True),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if "model_id" not in {column["name"] for column in there.get_columns("case_file")}:
        op.add_column("case_file", sa.Column("model_id", sa.BigInteger(), nullable=True))
    _make_models()
    op.alter_column("case_file", "model_id", existing_type=sa.BigInteger(), nullable=False)
    there.clear_cache()
    if not any(key["constrained_columns"] == ["model_id"] for key in there.get_foreign_keys("case_file")):
        op.create_foreign_key("fk_case_file_model_id", "case_file", "model", ["model_id"], ["id"])
    unique = {index["name"] for index in there.get_unique_constraints("case_file")}
    if "uq_case_file_model_id_version" not in unique:
        op.create_unique_constraint("uq_case_file_model_id_version", "case_file", ["model_id", "version"])
    if "uq_case_file_model_version" in unique:
        op.drop_constraint("uq_case_file_model_version", "case_file", type_="unique")


def _make_models() -> None:
    """A model for each owner's name that has cases without one, and the cases under it."""
    bind = op.get_bind()
    waiting = bind.execute(
        text(
            "SELECT owner_id, model, MIN(created) FROM case_file WHERE model_id IS NULL"
            " GROUP BY owner_id, model ORDER BY MIN(id)"
        )
    ).all()
    for owner_id, name, created in waiting:
        of_owner = {"owner_id": owner_id, "name": name}
        if bind.scalar(text("SELECT id FROM model WHERE owner_id = :owner_id AND name = :name"), of_owner) is None:
            keys = set(bind.scalars(text("SELECT `key` FROM model")))
            bind.execute(
                text("INSERT INTO model (`key`, name, owner_id, created) VALUES (:key, :name, :owner_id, :created)"),
                {**of_owner, "key": _free_key(name, keys), "created": created},
            )
        bind.execute(
            text(
                "UPDATE case_file c JOIN model m ON m.owner_id = c.owner_id AND m.name = c.model"
                " SET c.model_id = m.id WHERE c.model_id IS NULL AND c.owner_id = :owner_id AND c.model = :name"
            ),
            of_owner,
        )


def _free_key(name: str, taken: set[str]) -> str:
    words = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "model"
    number = 1
    while (key := words if number == 1 else f"{words}-{number}") in taken:
        number += 1
    return key
