"""one kind of run, documents of a job, purposes, structured changes, kept findings

Revision: 0007
Follows: 0006
"""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

from mavrik.domain.upgrade import run_of_drop_test, run_v1

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())


def _tests_become_runs(connection: sa.Connection) -> None:
    tests = connection.execute(
        sa.text(
            "SELECT t.id, t.job_id, t.circuit_id, t.conditions, t.measured_by, t.measured_at, c.document AS circuit "
            "FROM test_runs t JOIN circuit_versions c ON c.id = t.circuit_id ORDER BY t.id"
        )
    ).mappings()
    for test in tests.all():
        readings = connection.execute(
            sa.text(
                "SELECT quantity, branch_id, value, red_node, black_node FROM readings WHERE test_id = :id ORDER BY position"
            ),
            {"id": test["id"]},
        ).mappings()
        whole = {
            **test["conditions"],
            "readings": [dict(r) for r in readings],
            "measured_by": test["measured_by"],
            "measured_at": test["measured_at"].isoformat(),
        }
        connection.execute(
            sa.text(
                "INSERT INTO runs (job_id, circuit_id, procedure, document, measured_by, measured_at) "
                "VALUES (:job, :circuit, 'charging_drops', CAST(:document AS jsonb), :by, :at)"
            ),
            {
                "job": test["job_id"],
                "circuit": test["circuit_id"],
                "document": json.dumps(run_of_drop_test(test["circuit"], whole)),
                "by": test["measured_by"],
                "at": test["measured_at"],
            },
        )


def upgrade() -> None:
    connection = op.get_bind()
    op.rename_table("bench_runs", "runs")
    op.execute("ALTER SEQUENCE bench_runs_id_seq RENAME TO runs_id_seq")
    for old in (
        "pk_bench_runs",
        "fk_bench_runs_job_id_jobs",
        "fk_bench_runs_circuit_id_circuit_versions",
        "fk_bench_runs_person_id_people",
    ):
        op.execute(f"ALTER TABLE runs RENAME CONSTRAINT {old} TO {old.replace('bench_runs', 'runs')}")
    for old in ("ix_bench_runs_job_id", "ix_bench_runs_circuit_id"):
        op.execute(f"ALTER INDEX {old} RENAME TO {old.replace('bench_runs', 'runs')}")
    op.add_column("runs", sa.Column("supersedes_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_runs_supersedes_id_runs"), "runs", "runs", ["supersedes_id"], ["id"])
    for run in connection.execute(sa.text("SELECT id, document FROM runs")).mappings().all():
        connection.execute(
            sa.text("UPDATE runs SET document = CAST(:document AS jsonb) WHERE id = :id"),
            {"id": run["id"], "document": json.dumps(run_v1(run["document"]))},
        )
    _tests_become_runs(connection)
    op.drop_table("readings")
    op.drop_table("test_runs")

    op.add_column("jobs", sa.Column("purposes", JSONB, server_default=sa.text("'[\"find_fault\"]'::jsonb"), nullable=False))
    op.add_column("jobs", sa.Column("added_stages", JSONB, server_default=sa.text("'[]'::jsonb"), nullable=False))
    op.execute('UPDATE jobs SET purposes = \'["find_fault", "more_load"]\'::jsonb WHERE jsonb_array_length(loads_to_add) > 0')

    op.create_table(
        "job_documents",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("circuit_id", sa.Integer(), nullable=True),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("lock", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("created_by_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name=op.f("fk_job_documents_job_id_jobs")),
        sa.ForeignKeyConstraint(
            ["circuit_id"], ["circuit_versions.id"], name=op.f("fk_job_documents_circuit_id_circuit_versions")
        ),
        sa.ForeignKeyConstraint(["created_by_id"], ["people.id"], name=op.f("fk_job_documents_created_by_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job_documents")),
        sa.UniqueConstraint("job_id", "kind", "revision", name="uq_job_documents_revision"),
    )
    op.create_index(op.f("ix_job_documents_job_id"), "job_documents", ["job_id"], unique=False)
    op.execute(
        "INSERT INTO job_documents (job_id, kind, revision, circuit_id, document, lock, created_at, created_by_id) "
        "SELECT job_id, 'plan', row_number() OVER (PARTITION BY job_id ORDER BY id), id, proposal, 1, created_at, created_by_id "
        "FROM circuit_versions WHERE proposal IS NOT NULL AND proposal <> 'null'::jsonb"
    )
    op.drop_column("circuit_versions", "proposal")

    op.create_table(
        "job_findings",
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("made_at", sa.TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name=op.f("fk_job_findings_job_id_jobs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("job_id", name=op.f("pk_job_findings")),
    )

    op.add_column("changes", sa.Column("kind", sa.String(length=20), server_default="note", nullable=False))
    op.add_column("changes", sa.Column("thing", sa.String(length=80), server_default="", nullable=False))
    op.add_column("changes", sa.Column("before", JSONB, nullable=True))
    op.add_column("changes", sa.Column("after", JSONB, nullable=True))


def downgrade() -> None:
    raise NotImplementedError("Runs cannot be taken apart into tests and readings again; restore the backup")
