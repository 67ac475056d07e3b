"""what the list shows kept with the job, searched by trigrams; shelves; answers kept for a second try; runs and changes only added

Revision: 0010
Follows: 0009
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

MOMENT = sa.TIMESTAMP(timezone=True)
ONLY_ADDED = ("changes", "runs")


def upgrade() -> None:
    op.execute("CREATE EXTENSION IF NOT EXISTS pg_trgm")
    op.add_column("jobs", sa.Column("archived_at", MOMENT, nullable=True))
    op.add_column("jobs", sa.Column("binned_at", MOMENT, nullable=True))
    op.execute(
        "CREATE INDEX ix_jobs_due ON jobs ((state = 'done'), (coalesce(promised, 'infinity'::date)), (-id)) "
        "WHERE archived_at IS NULL AND binned_at IS NULL"
    )
    op.create_index("ix_jobs_purposes", "jobs", ["purposes"], postgresql_using="gin")
    op.create_index("ix_changes_person_id", "changes", ["person_id", "job_id"])
    op.create_table(
        "job_summaries",
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.String(length=20), nullable=False),
        sa.Column("progress", JSONB(), nullable=False),
        sa.Column("headline", JSONB(), nullable=True),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("touched_at", MOMENT, server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("job_id", name="pk_job_summaries"),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name="fk_job_summaries_job_id_jobs", ondelete="CASCADE"),
    )
    op.create_index(
        "ix_job_summaries_text", "job_summaries", ["text"], postgresql_using="gin", postgresql_ops={"text": "gin_trgm_ops"}
    )
    op.create_index("ix_job_summaries_touched", "job_summaries", ["touched_at", "job_id"])
    # So that they are found at once; progress and headline are made when a list first shows them.
    op.execute(
        "INSERT INTO job_summaries (job_id, made_by, progress, text, touched_at) "
        "SELECT j.id, '', '{}', concat_ws(E'\\n', j.number, c.name, v.description, j.complaint), j.updated_at "
        "FROM jobs j JOIN vehicles v ON v.id = j.vehicle_id JOIN customers c ON c.id = v.customer_id"
    )
    op.create_table(
        "kept_answers",
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=80), nullable=False),
        sa.Column("request_hash", sa.String(length=64), nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("body", sa.LargeBinary(), nullable=True),
        sa.Column("at", MOMENT, server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("person_id", "key", name="pk_kept_answers"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name="fk_kept_answers_person_id_people", ondelete="CASCADE"),
    )
    op.create_index("ix_kept_answers_at", "kept_answers", ["at"])
    op.execute(
        """
        CREATE FUNCTION only_added() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            IF current_setting('mavrik.rewriting', true) IS DISTINCT FROM 'on' THEN
                RAISE EXCEPTION 'rows of % are added, never changed', TG_TABLE_NAME;
            END IF;
            IF TG_OP = 'DELETE' THEN
                RETURN OLD;
            END IF;
            RETURN NEW;
        END $$
        """
    )
    for table in ONLY_ADDED:
        op.execute(f"CREATE TRIGGER only_added BEFORE UPDATE OR DELETE ON {table} FOR EACH ROW EXECUTE FUNCTION only_added()")


def downgrade() -> None:
    for table in ONLY_ADDED:
        op.execute(f"DROP TRIGGER only_added ON {table}")
    op.execute("DROP FUNCTION only_added()")
    op.drop_table("kept_answers")
    op.drop_table("job_summaries")
    op.drop_index("ix_changes_person_id", "changes")
    op.drop_index("ix_jobs_purposes", "jobs")
    op.drop_index("ix_jobs_due", "jobs")
    op.drop_column("jobs", "binned_at")
    op.drop_column("jobs", "archived_at")
    op.execute("DROP EXTENSION IF EXISTS pg_trgm")
