"""locks of instruments and accounts

Revision: 0002
Follows: 0001
"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("instruments", "people"):
        op.add_column(table, sa.Column("lock", sa.Integer(), nullable=False, server_default="1"))
        op.alter_column(table, "lock", server_default=None)


def downgrade() -> None:
    for table in ("instruments", "people"):
        op.drop_column(table, "lock")
