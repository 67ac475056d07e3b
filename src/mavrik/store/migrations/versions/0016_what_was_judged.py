"""of what findings are, so that the same is not judged again

Revision: 0016
Follows: 0015
"""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("job_findings", sa.Column("content_hash", sa.String(length=64), nullable=True))
    op.create_index("ix_job_findings_content_hash", "job_findings", ["content_hash"])


def downgrade() -> None:
    op.drop_index("ix_job_findings_content_hash", "job_findings")
    op.drop_column("job_findings", "content_hash")
