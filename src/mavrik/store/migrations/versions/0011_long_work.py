"""long work: a queue, what was asked for and what came of it; a capture's progress is its task's

Revision: 0011
Follows: 0010
"""

from pathlib import Path

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

MOMENT = sa.TIMESTAMP(timezone=True)
QUEUE = Path(__file__).parents[1] / "sql" / "procrastinate_3_10_0.sql"
DROP_QUEUE = """
DO $$
DECLARE own record;
BEGIN
    DROP TABLE procrastinate_events, procrastinate_periodic_defers, procrastinate_jobs, procrastinate_workers CASCADE;
    FOR own IN SELECT oid::regprocedure AS name FROM pg_proc WHERE proname LIKE 'procrastinate\\_%' LOOP
        EXECUTE 'DROP FUNCTION ' || own.name || ' CASCADE';
    END LOOP;
    DROP TYPE procrastinate_job_to_defer_v1, procrastinate_job_event_type, procrastinate_job_status;
END $$
"""


def upgrade() -> None:
    # Many statements at once: the driver takes them as one text where nothing is to be filled in.
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(QUEUE.read_text(encoding="utf-8"))
    op.create_table(
        "tasks",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("title", sa.String(length=200), nullable=False),
        sa.Column("asked", JSONB(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("progress", sa.Float(), nullable=False),
        sa.Column("step", sa.String(length=200), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("problem", sa.Text(), nullable=False),
        sa.Column("result", JSONB(), nullable=False),
        sa.Column("queued_id", sa.BigInteger(), nullable=True),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=True),
        sa.Column("created_at", MOMENT, server_default=sa.func.now(), nullable=False),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_tasks"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name="fk_tasks_person_id_people"),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name="fk_tasks_job_id_jobs", ondelete="CASCADE"),
        sa.CheckConstraint("state IN ('waiting', 'running', 'done', 'failed', 'cancelled')", name="ck_tasks_state"),
    )
    op.create_index("ix_tasks_person_id", "tasks", ["person_id"])
    op.create_index("ix_tasks_job_id", "tasks", ["job_id"])
    op.create_table(
        "task_files",
        sa.Column("task_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("media_type", sa.String(length=80), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("task_id", name="pk_task_files"),
        sa.ForeignKeyConstraint(["task_id"], ["tasks.id"], name="fk_task_files_task_id_tasks", ondelete="CASCADE"),
    )
    # Who was reading these is gone by now.
    op.execute(
        "UPDATE captures SET state = 'failed', "
        """document = document || '{"problem": "The server was stopped while it was read: load the file again."}' """
        "WHERE state = 'reading'"
    )
    op.drop_column("captures", "progress")
    op.drop_column("captures", "touched_at")
    op.add_column("captures", sa.Column("task_id", sa.Integer(), nullable=True))
    op.create_foreign_key("fk_captures_task_id_tasks", "captures", "tasks", ["task_id"], ["id"], ondelete="SET NULL")
    op.create_index("ix_captures_task_id", "captures", ["task_id"])


def downgrade() -> None:
    op.drop_index("ix_captures_task_id", "captures")
    op.drop_constraint("fk_captures_task_id_tasks", "captures")
    op.drop_column("captures", "task_id")
    op.add_column("captures", sa.Column("touched_at", MOMENT, server_default=sa.func.now(), nullable=False))
    op.add_column("captures", sa.Column("progress", sa.Float(), server_default="1", nullable=False))
    op.drop_table("task_files")
    op.drop_table("tasks")
    op.execute(DROP_QUEUE)
