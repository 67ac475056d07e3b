"""fields of a job's documents, and what a task was asked for, under the names of bundle version 3

Revision: 0017
Follows: 0016
"""

import json

import sqlalchemy as sa
from alembic import op

from mavrik.domain.upgrade import NAMES_V2, document_v2

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column("tasks", "asked", new_column_name="request")
    connection = op.get_bind()
    kept = sa.text("SELECT id, kind, document FROM job_documents WHERE kind = ANY(:kinds)")
    for row in connection.execute(kept, {"kinds": list(NAMES_V2)}).mappings().all():
        connection.execute(
            sa.text("UPDATE job_documents SET document = CAST(:document AS jsonb) WHERE id = :id"),
            {"id": row["id"], "document": json.dumps(document_v2(row["kind"], row["document"]))},
        )


def downgrade() -> None:
    raise NotImplementedError("A program of before would not find its documents' fields again; restore the backup")
