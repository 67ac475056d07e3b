"""addresses under which a calendar program fetches the schedule

Revision: 0015
Follows: 0014
"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "calendar_feeds",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("label", sa.String(length=80), nullable=False),
        sa.Column("worker", sa.String(length=40), nullable=True),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("fetched_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_calendar_feeds"),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name="fk_calendar_feeds_person_id_people"),
        sa.UniqueConstraint("token_hash", name="uq_calendar_feeds_token_hash"),
    )
    op.create_index("ix_calendar_feeds_person_id", "calendar_feeds", ["person_id"])


def downgrade() -> None:
    op.drop_table("calendar_feeds")
