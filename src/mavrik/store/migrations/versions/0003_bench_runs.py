"""bench tests as permanent records

Revision: 0003
Follows: 0002
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "bench_runs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("circuit_id", sa.Integer(), nullable=False),
        sa.Column("procedure", sa.String(length=40), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("measured_by", sa.String(length=80), nullable=False),
        sa.Column("measured_at", sa.TIMESTAMP(timezone=True), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["circuit_id"], ["circuit_versions.id"], name=op.f("fk_bench_runs_circuit_id_circuit_versions")),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name=op.f("fk_bench_runs_job_id_jobs")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_bench_runs_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bench_runs")),
    )
    op.create_index(op.f("ix_bench_runs_job_id"), "bench_runs", ["job_id"], unique=False)
    op.create_index(op.f("ix_bench_runs_circuit_id"), "bench_runs", ["circuit_id"], unique=False)


def downgrade() -> None:
    op.drop_table("bench_runs")
