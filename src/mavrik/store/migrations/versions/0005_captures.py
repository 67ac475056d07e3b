"""captured waveforms, their samples in parts

Revision: 0005
Follows: 0004
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "captures",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("progress", sa.Float(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("samples", sa.Integer(), nullable=False),
        sa.Column("interval_s", sa.Float(), nullable=False),
        sa.Column("start_s", sa.Float(), nullable=False),
        sa.Column("envelope", sa.LargeBinary(), nullable=False),
        sa.Column("person_name", sa.String(length=80), nullable=False),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("touched_at", sa.TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("state IN ('reading', 'ready', 'failed', 'stopped')", name=op.f("ck_captures_state")),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name=op.f("fk_captures_job_id_jobs")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_captures")),
    )
    op.create_index(op.f("ix_captures_job_id"), "captures", ["job_id"], unique=False)
    op.create_table(
        "capture_parts",
        sa.Column("capture_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("samples", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["capture_id"], ["captures.id"], name=op.f("fk_capture_parts_capture_id_captures"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("capture_id", "position", name=op.f("pk_capture_parts")),
    )


def downgrade() -> None:
    op.drop_table("capture_parts")
    op.drop_table("captures")
