"""${message}

Revision: ${up_revision}
Follows: ${down_revision}
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = ${repr(up_revision)}
down_revision = ${repr(down_revision)}
branch_labels = None
depends_on = None


def upgrade() -> None:
    ${upgrades if upgrades else "pass"}


def downgrade() -> None:
    ${downgrades if downgrades else "pass"}
