"""addresses of connected instruments

Revision: 0004
Follows: 0003
"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("instruments", sa.Column("address", sa.String(length=260), nullable=True))


def downgrade() -> None:
    op.drop_column("instruments", "address")
