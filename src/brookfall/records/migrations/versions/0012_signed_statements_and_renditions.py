"""What is signed is a statement; reports are renditions that workers make. Reports signed until now stay as they are"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy import inspect

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def _sha(name: str, *, nullable: bool) -> sa.Column[str]:
    return sa.Column(name, sa.String(64, collation="ascii_bin"), nullable=nullable)


def upgrade() -> None:
    """One statement a step, each skipped when it was made before: DDL here is not undone with a transaction."""
    there = inspect(op.get_bind())
    if "statement_sha256" not in {column["name"] for column in there.get_columns("decision")}:
        op.add_column("decision", _sha("statement_sha256", nullable=True))
        there.clear_cache()
    if not any(key["constrained_columns"] == ["statement_sha256"] for key in there.get_foreign_keys("decision")):
        op.create_foreign_key("fk_decision_statement_sha256", "decision", "blob", ["statement_sha256"], ["sha256"])
    if not there.has_table("rendition"):
        op.create_table(
            "rendition",
            sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
            sa.Column("case_id", sa.BigInteger(), sa.ForeignKey("case_file.id"), nullable=False),
            sa.Column("decision_id", sa.BigInteger(), sa.ForeignKey("decision.id"), nullable=True),
            _sha("content", nullable=False),
            sa.Column("asked", sa.DateTime(), nullable=False),
            sa.Column("finished", sa.DateTime(), nullable=True),
            sa.Column("state", sa.String(20), nullable=False),
            sa.Column("lease_until", sa.DateTime(), nullable=True),
            sa.Column("worker", sa.String(80), nullable=True),
            sa.Column("attempts", sa.Integer(), nullable=False),
            sa.Column("done", sa.Integer(), nullable=False),
            sa.Column("needed", sa.Integer(), nullable=False),
            sa.Column("said", sa.Text(), nullable=False),
            _sha("evidence_sha256", nullable=True),
            _sha("html_sha256", nullable=True),
            _sha("pdf_sha256", nullable=True),
            sa.ForeignKeyConstraint(["evidence_sha256"], ["blob.sha256"]),
            sa.ForeignKeyConstraint(["html_sha256"], ["blob.sha256"]),
            sa.ForeignKeyConstraint(["pdf_sha256"], ["blob.sha256"]),
            sa.Index("ix_rendition_state", "state", "lease_until"),
            sa.Index("ix_rendition_case", "case_id", "id"),
            sa.Index("ix_rendition_evidence_sha256", "evidence_sha256"),
            sa.Index("ix_rendition_html_sha256", "html_sha256"),
            sa.Index("ix_rendition_pdf_sha256", "pdf_sha256"),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if not there.has_table("drawing"):
        op.create_table(
            "drawing",
            sa.Column("key", sa.String(64, collation="ascii_bin"), primary_key=True),
            sa.Column("data", sa.dialects.mysql.MEDIUMBLOB(), nullable=False),
            sa.Column("made", sa.DateTime(), nullable=False),
            mysql_engine="InnoDB",
            mysql_charset="utf8mb4",
            mysql_collate="utf8mb4_nopad_bin",
        )
    if there.has_table("signed_report"):
        # What was signed before there were statements: its bytes and hashes stay, and it has no statement.
        op.execute(
            """
            INSERT INTO rendition (case_id, decision_id, content, asked, finished, state, attempts, done, needed, said,
                                   evidence_sha256, html_sha256, pdf_sha256)
            SELECT s.case_id, MAX(d.id), MAX(CASE s.format WHEN 'pdf' THEN s.sha256 END),
                   MAX(s.created), MAX(s.created), 'done', 1, 0, 0, '',
                   MAX(CASE s.format WHEN 'json' THEN s.sha256 END), MAX(CASE s.format WHEN 'html' THEN s.sha256 END),
                   MAX(CASE s.format WHEN 'pdf' THEN s.sha256 END)
            FROM signed_report s JOIN decision d ON d.case_id = s.case_id AND d.state = 'accepted'
            WHERE s.case_id NOT IN (SELECT case_id FROM rendition)
            GROUP BY s.case_id
            """
        )
        op.drop_table("signed_report")
