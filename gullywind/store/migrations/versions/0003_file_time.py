"""Where a file has no sound and when its picture starts; how often work was begun; the polarity of a map."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("media", sa.Column("gaps", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.alter_column("media", "gaps", server_default=None)
    op.add_column("media", sa.Column("picture_start_s", sa.Double(), nullable=True))
    op.add_column("work", sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
    op.alter_column("work", "attempts", server_default=None)
    op.create_check_constraint(op.f("ck_work_attempts"), "work", "attempts >= 0")
    # Maps of before play as they did: what was recorded inverted stays so until a person turns it.
    op.add_column("map_version", sa.Column("polarity", sa.Integer(), nullable=False, server_default="1"))
    op.alter_column("map_version", "polarity", server_default=None)
    op.create_check_constraint(op.f("ck_map_version_polarity"), "map_version", "polarity IN (-1, 1)")
