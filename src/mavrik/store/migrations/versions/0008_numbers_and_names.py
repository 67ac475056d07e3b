"""job numbers from a sequence; a customer's name is one name however it is spelled

Revision: 0008
Follows: 0007
"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(sa.schema.CreateSequence(sa.Sequence("job_numbers")))
    # Behind every number that this program gave; those of another make have no place in the row.
    op.execute(
        "SELECT setval('job_numbers', GREATEST(max(split_part(number, '-', 2)::bigint), 1), max(number) IS NOT NULL) "
        "FROM jobs WHERE number ~ '^[0-9]{2}-[0-9]{4,5}$'"
    )
    # Two people could make one customer twice, spelled differently, at one moment: the earlier row keeps all vehicles.
    op.execute(
        "UPDATE vehicles SET customer_id = kept.id FROM customers own "
        "JOIN (SELECT lower(name) AS folded, min(id) AS id FROM customers GROUP BY lower(name)) kept ON lower(own.name) = kept.folded "
        "WHERE vehicles.customer_id = own.id AND own.id <> kept.id"
    )
    op.execute("DELETE FROM customers own USING customers first WHERE lower(own.name) = lower(first.name) AND own.id > first.id")
    op.drop_constraint("uq_customers_name", "customers", type_="unique")
    op.create_index("uq_customers_name_folded", "customers", [sa.text("lower(name)")], unique=True)


def downgrade() -> None:
    op.drop_index("uq_customers_name_folded", "customers")
    op.create_unique_constraint("uq_customers_name", "customers", ["name"])
    op.execute(sa.schema.DropSequence(sa.Sequence("job_numbers")))
