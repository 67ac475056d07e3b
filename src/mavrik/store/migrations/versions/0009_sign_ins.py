"""where somebody is signed in, so that signing out ends it; no stamp in a cookie any more

Revision: 0009
Follows: 0008
"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sign_ins",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("people.id", name="fk_sign_ins_person_id_people"), nullable=False),
        sa.Column("key_hash", sa.String(length=64), nullable=False),
        sa.Column("address", sa.String(length=60), nullable=False),
        sa.Column("handheld", sa.Boolean(), nullable=False),
        sa.Column("begun_at", sa.TIMESTAMP(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("seen_at", sa.TIMESTAMP(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("ended_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.UniqueConstraint("key_hash", name="uq_sign_ins_key_hash"),
    )
    op.create_index("ix_sign_ins_person_id", "sign_ins", ["person_id"])
    op.drop_column("people", "stamp")


def downgrade() -> None:
    op.add_column("people", sa.Column("stamp", sa.String(length=32), server_default="", nullable=False))
    op.drop_table("sign_ins")
