"""what comes into the stock and goes out of it

Revision: 0014
Follows: 0013
"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "stock_moves",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("number", sa.String(length=40), nullable=False),
        sa.Column("piece", sa.String(length=20), nullable=False),
        sa.Column("quantity", sa.Float(), nullable=False),
        sa.Column("why", sa.String(length=20), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=True),
        sa.Column("need", sa.String(length=80), nullable=False),
        sa.Column("step", sa.String(length=150), nullable=False),
        sa.Column("person_name", sa.String(length=80), nullable=False),
        sa.Column("at", sa.TIMESTAMP(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_stock_moves"),
        sa.ForeignKeyConstraint(["job_id"], ["jobs.id"], name="fk_stock_moves_job_id_jobs"),
    )
    op.create_index("ix_stock_moves_number", "stock_moves", ["number", "piece"])
    op.create_index("ix_stock_moves_job_id", "stock_moves", ["job_id"])


def downgrade() -> None:
    op.drop_table("stock_moves")
