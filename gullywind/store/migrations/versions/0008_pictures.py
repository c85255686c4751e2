"""Deliveries of videos with another recording's sound."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("delivery", sa.Column("sound_from_id", sa.Uuid(), nullable=True))
    op.create_foreign_key(
        op.f("fk_delivery_sound_from_id_recording"),
        "delivery",
        "recording",
        ["sound_from_id"],
        ["id"],
        ondelete="CASCADE",
    )
