"""lists that a workshop keeps for all its jobs, every revision of them

Revision: 0012
Follows: 0011
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "workshop_lists",
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("document", JSONB(), nullable=False),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("created_by_id", sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint("kind", "revision", name="pk_workshop_lists"),
        sa.ForeignKeyConstraint(["created_by_id"], ["people.id"], name="fk_workshop_lists_created_by_id_people"),
    )


def downgrade() -> None:
    op.drop_table("workshop_lists")
