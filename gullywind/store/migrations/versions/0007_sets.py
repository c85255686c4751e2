"""Sets of recordings, and recordings that are finished and locked."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("recording", sa.Column("membership", JSONB(), nullable=True))
    op.add_column("recording", sa.Column("locked", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("recording", "locked", server_default=None)
    op.add_column("project", sa.Column("refused_sets", JSONB(), nullable=False, server_default="[]"))
    op.alter_column("project", "refused_sets", server_default=None)
    op.add_column("change_part", sa.Column("moves_set", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("change_part", "moves_set", server_default=None)
    op.add_column("change_part", sa.Column("set_before", JSONB(), nullable=True))
    op.add_column("change_part", sa.Column("set_after", JSONB(), nullable=True))
