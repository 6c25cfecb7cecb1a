"""Approvals have terms, their conditions a state, a version more than one review; a model can be withdrawn"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    look = inspect(op.get_bind())
    there = set(look.get_table_names())
    of_model = {one["name"] for one in look.get_columns("model")}
    if "withdrawn" not in of_model:
        op.add_column("model", sa.Column("withdrawn", sa.DateTime(), nullable=True))
    if "withdrawn_why" not in of_model:
        op.add_column("model", sa.Column("withdrawn_why", sa.Text(), nullable=True))
    if "review" not in {one["name"] for one in look.get_columns("case_file")}:
        op.add_column("case_file", sa.Column("review", sa.Integer(), nullable=False, server_default="1"))
    unique = {one["name"] for one in look.get_unique_constraints("case_file")}
    if "uq_case_file_review" not in unique:
        op.create_unique_constraint("uq_case_file_review", "case_file", ["model_id", "version", "review"])
    if "uq_case_file_model_id_version" in unique:
        op.drop_constraint("uq_case_file_model_id_version", "case_file", type_="unique")
    for name, columns in _tables().items():
        if name not in there:
            op.create_table(
                name, *columns, mysql_engine="InnoDB", mysql_charset="utf8mb4", mysql_collate="utf8mb4_nopad_bin"
            )
    _fill()


def _tables() -> dict[str, list[sa.Column[object] | sa.UniqueConstraint]]:
    return {
        "approval": [
            _key(),
            sa.Column("decision_id", sa.BigInteger(), sa.ForeignKey("decision.id"), nullable=False, unique=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False, index=True),
            sa.Column("signed", sa.Date(), nullable=False),
            sa.Column("until", sa.Date(), nullable=False),
        ],
        "approval_condition": [
            _key(),
            sa.Column("approval_id", sa.BigInteger(), sa.ForeignKey("approval.id"), nullable=False),
            sa.Column("number", sa.Integer(), nullable=False),
            sa.Column("what", sa.Text(), nullable=False),
            sa.Column("who", sa.String(200), nullable=False, server_default=""),
            sa.Column("due", sa.Date(), nullable=False),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("revision", sa.Integer(), nullable=False),
            sa.UniqueConstraint("approval_id", "number", name="uq_approval_condition_number"),
        ],
        "condition_entry": [
            _key(),
            sa.Column("condition_id", sa.BigInteger(), sa.ForeignKey("approval_condition.id"), nullable=False),
            sa.Column("at", sa.DateTime(), nullable=False),
            sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
            sa.Column("act", sa.String(20), nullable=False),
            sa.Column("text", sa.Text(), nullable=False),
        ],
        "condition_file": [
            _key(),
            sa.Column("entry_id", sa.BigInteger(), sa.ForeignKey("condition_entry.id"), nullable=False),
            sa.Column("path", sa.String(200), nullable=False),
            sa.Column("sha256", sa.String(64, collation="ascii_bin"), sa.ForeignKey("blob.sha256"), nullable=False),
            sa.Column("added", sa.DateTime(), nullable=False),
            sa.UniqueConstraint("entry_id", "path", name="uq_condition_file_path"),
        ],
        "approval_notice": [
            sa.Column("approval_id", sa.BigInteger(), sa.ForeignKey("approval.id"), primary_key=True),
            sa.Column("name", sa.String(40), primary_key=True),
            sa.Column("at", sa.DateTime(), nullable=False),
        ],
    }


def _key() -> sa.Column[object]:
    return sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True)


def _fill() -> None:
    """What was approved before there were terms has the built-in policy's, by the day in UTC on which it was signed."""
    op.execute(
        "INSERT INTO approval (decision_id, case_id, signed, until)"
        " SELECT d.id, d.case_id, DATE(d.answered),"
        " DATE(d.answered) + INTERVAL CASE c.tier WHEN 1 THEN 1 WHEN 2 THEN 2 ELSE 3 END YEAR"
        " FROM decision d JOIN case_file c ON c.id = d.case_id"
        " WHERE d.state = 'accepted' AND d.kind IN ('approved', 'approved_with_conditions')"
        " AND NOT EXISTS (SELECT 1 FROM approval a WHERE a.decision_id = d.id)"
        " ORDER BY d.id"
    )
    op.execute(
        "INSERT INTO approval_condition (approval_id, number, what, due, state, revision)"
        " SELECT a.id, t.number, t.what, t.due, 'open', 1 FROM approval a JOIN decision d ON d.id = a.decision_id,"
        " JSON_TABLE(d.conditions, '$[*]' COLUMNS (number FOR ORDINALITY, what TEXT PATH '$.what',"
        " due DATE PATH '$.due')) t"
        " WHERE NOT EXISTS (SELECT 1 FROM approval_condition c WHERE c.approval_id = a.id AND c.number = t.number)"
    )
