"""The first schema"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "blob",
        sa.Column("sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("sha256", name=op.f("pk_blob")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "fit",
        sa.Column("key", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("lease_until", sa.DateTime(), nullable=True),
        sa.Column("worker", sa.String(length=80), nullable=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("failure", sa.Text(), nullable=True),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_fit")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index("ix_fit_state", "fit", ["state", "lease_until"], unique=False, if_not_exists=True)
    op.create_table(
        "person",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("login", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.Column("roles", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("login", name=op.f("uq_person_login")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "record_head",
        sa.Column("id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("entries", sa.BigInteger(), nullable=False),
        sa.Column("hash", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_record_head")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "blob_chunk",
        sa.Column("sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("data", mysql.MEDIUMBLOB(), nullable=False),
        sa.ForeignKeyConstraint(["sha256"], ["blob.sha256"], name=op.f("fk_blob_chunk_sha256")),
        sa.PrimaryKeyConstraint("sha256", "seq", name=op.f("pk_blob_chunk")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "case_file",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("model", sa.String(length=200), nullable=False),
        sa.Column("version", sa.String(length=40), nullable=False),
        sa.Column("tier", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(length=20), nullable=False),
        sa.Column("submission", sa.JSON(), nullable=False),
        sa.Column("package_sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("table_fingerprint", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("n_rows", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("due", sa.Date(), nullable=True),
        sa.Column("owner_id", sa.BigInteger(), nullable=False),
        sa.Column("reviewer_id", sa.BigInteger(), nullable=True),
        sa.Column("countersigner_id", sa.BigInteger(), nullable=True),
        sa.Column("roles", sa.JSON(), nullable=False),
        sa.Column("roles_revision", sa.Integer(), nullable=False),
        sa.Column("plan", sa.JSON(), nullable=False),
        sa.Column("plan_revision", sa.Integer(), nullable=False),
        sa.Column("plan_locked", sa.DateTime(), nullable=True),
        sa.Column("plan_locked_by", sa.BigInteger(), nullable=True),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["countersigner_id"], ["person.id"], name=op.f("fk_case_file_countersigner_id")),
        sa.ForeignKeyConstraint(["owner_id"], ["person.id"], name=op.f("fk_case_file_owner_id")),
        sa.ForeignKeyConstraint(["plan_locked_by"], ["person.id"], name=op.f("fk_case_file_plan_locked_by")),
        sa.ForeignKeyConstraint(["reviewer_id"], ["person.id"], name=op.f("fk_case_file_reviewer_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_case_file")),
        sa.UniqueConstraint("model", "version", name="uq_case_file_model_version"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "reading",
        sa.Column("fit_key", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("key", sa.String(length=80, collation="ascii_bin"), nullable=False),
        sa.Column("data", mysql.MEDIUMBLOB(), nullable=False),
        sa.ForeignKeyConstraint(["fit_key"], ["fit.key"], name=op.f("fk_reading_fit_key")),
        sa.PrimaryKeyConstraint("fit_key", "key", name=op.f("pk_reading")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "decision",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("reasons", sa.Text(), nullable=False),
        sa.Column("conditions", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("proposed_by", sa.BigInteger(), nullable=False),
        sa.Column("proposed", sa.DateTime(), nullable=False),
        sa.Column("answered_by", sa.BigInteger(), nullable=True),
        sa.Column("answered", sa.DateTime(), nullable=True),
        sa.Column("comment", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["answered_by"], ["person.id"], name=op.f("fk_decision_answered_by")),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_decision_case_id")),
        sa.ForeignKeyConstraint(["proposed_by"], ["person.id"], name=op.f("fk_decision_proposed_by")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_decision")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "finding",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("severity", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("action", sa.Text(), nullable=False),
        sa.Column("action_owner", sa.String(length=200), nullable=False),
        sa.Column("due", sa.Date(), nullable=True),
        sa.Column("cites", sa.JSON(), nullable=False),
        sa.Column("withdrawn", sa.Boolean(), nullable=False),
        sa.Column("author_id", sa.BigInteger(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["author_id"], ["person.id"], name=op.f("fk_finding_author_id")),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_finding_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_finding")),
        sa.UniqueConstraint("case_id", "number", name="uq_finding_number"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "note",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("author_id", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("set_aside", sa.JSON(), nullable=False),
        sa.Column("changed", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["author_id"], ["person.id"], name=op.f("fk_note_author_id")),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_note_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_note")),
        sa.UniqueConstraint("case_id", "author_id", name="uq_note_author"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "record_entry",
        sa.Column("id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("who", sa.String(length=200), nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=True),
        sa.Column("act", sa.String(length=60), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.Column("before", mysql.MEDIUMTEXT(), nullable=False),
        sa.Column("after", mysql.MEDIUMTEXT(), nullable=False),
        sa.Column("previous", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("hash", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_record_entry_case_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_record_entry_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_record_entry")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(op.f("ix_record_entry_case_id"), "record_entry", ["case_id"], unique=False, if_not_exists=True)
    op.create_table(
        "run",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("by_id", sa.BigInteger(), nullable=False),
        sa.Column("started", sa.DateTime(), nullable=False),
        sa.Column("finished", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["by_id"], ["person.id"], name=op.f("fk_run_by_id")),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_run_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_index(op.f("ix_run_state"), "run", ["state"], unique=False, if_not_exists=True)
    op.create_table(
        "signed_report",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("format", sa.String(length=10), nullable=False),
        sa.Column("sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_signed_report_case_id")),
        sa.ForeignKeyConstraint(["sha256"], ["blob.sha256"], name=op.f("fk_signed_report_sha256")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_signed_report")),
        sa.UniqueConstraint("case_id", "format", name="uq_signed_report_format"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "stored_column",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("values_sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("levels_sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.Column("profile", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_stored_column_case_id")),
        sa.ForeignKeyConstraint(["levels_sha256"], ["blob.sha256"], name=op.f("fk_stored_column_levels_sha256")),
        sa.ForeignKeyConstraint(["values_sha256"], ["blob.sha256"], name=op.f("fk_stored_column_values_sha256")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stored_column")),
        sa.UniqueConstraint("case_id", "position", name="uq_stored_column_position"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "submitted_file",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("path", sa.String(length=500), nullable=False),
        sa.Column("sha256", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_submitted_file_case_id")),
        sa.ForeignKeyConstraint(["sha256"], ["blob.sha256"], name=op.f("fk_submitted_file_sha256")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_submitted_file")),
        sa.UniqueConstraint("case_id", "path", name="uq_submitted_file_path"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "exhibit",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("case_id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("question", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("standing", sa.String(length=20), nullable=True),
        sa.Column("answer", sa.Text(), nullable=False),
        sa.Column("charts", sa.JSON(), nullable=False),
        sa.Column("tables", sa.JSON(), nullable=False),
        sa.Column("provenance", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["case_file.id"], name=op.f("fk_exhibit_case_id")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_exhibit_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_exhibit")),
        sa.UniqueConstraint("run_id", "number", name="uq_exhibit_number"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "run_check",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("fits", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("lease_until", sa.DateTime(), nullable=True),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_check_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run_check")),
        sa.UniqueConstraint("run_id", "number", name="uq_run_check_number"),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "run_fit",
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("fit_key", sa.String(length=64, collation="ascii_bin"), nullable=False),
        sa.ForeignKeyConstraint(["fit_key"], ["fit.key"], name=op.f("fk_run_fit_fit_key")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_fit_run_id")),
        sa.PrimaryKeyConstraint("run_id", "fit_key", name=op.f("pk_run_fit")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "estimate",
        sa.Column("exhibit_id", sa.BigInteger(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("measure", sa.String(length=60), nullable=False),
        sa.Column("model", sa.String(length=200), nullable=False),
        sa.Column("part", sa.String(length=200), nullable=True),
        sa.Column("value", sa.Double(), nullable=True),
        sa.Column("low", sa.Double(), nullable=True),
        sa.Column("high", sa.Double(), nullable=True),
        sa.Column("level", sa.Double(), nullable=False),
        sa.Column("n", sa.Integer(), nullable=False),
        sa.Column("method", sa.String(length=60), nullable=True),
        sa.Column("standing", sa.String(length=20), nullable=True),
        sa.Column("verdict", sa.String(length=20), nullable=True),
        sa.Column("labels", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["exhibit_id"], ["exhibit.id"], name=op.f("fk_estimate_exhibit_id")),
        sa.PrimaryKeyConstraint("exhibit_id", "position", name=op.f("pk_estimate")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )
    op.create_table(
        "series",
        sa.Column("exhibit_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("data", mysql.MEDIUMBLOB(), nullable=False),
        sa.ForeignKeyConstraint(["exhibit_id"], ["exhibit.id"], name=op.f("fk_series_exhibit_id")),
        sa.PrimaryKeyConstraint("exhibit_id", "name", name=op.f("pk_series")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
        if_not_exists=True,
    )


def downgrade() -> None:
    op.drop_table("series")
    op.drop_table("estimate")
    op.drop_table("run_fit")
    op.drop_table("run_check")
    op.drop_table("exhibit")
    op.drop_table("submitted_file")
    op.drop_table("stored_column")
    op.drop_table("signed_report")
    op.drop_index(op.f("ix_run_state"), table_name="run")
    op.drop_table("run")
    op.drop_index(op.f("ix_record_entry_case_id"), table_name="record_entry")
    op.drop_table("record_entry")
    op.drop_table("note")
    op.drop_table("finding")
    op.drop_table("decision")
    op.drop_table("reading")
    op.drop_table("case_file")
    op.drop_table("blob_chunk")
    op.drop_table("record_head")
    op.drop_table("person")
    op.drop_index("ix_fit_state", table_name="fit")
    op.drop_table("fit")
    op.drop_table("blob")
