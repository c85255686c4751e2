"""Removing that can be undone, remarks, deliveries of some recordings."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("recording", sa.Column("remark", sa.String(), nullable=False, server_default=""))
    op.add_column("recording", sa.Column("removed_at", sa.DateTime(), nullable=True))
    op.add_column("change_part", sa.Column("removes", sa.Boolean(), nullable=False, server_default="false"))
    op.add_column("delivery", sa.Column("chosen", postgresql.JSONB(), nullable=True))
