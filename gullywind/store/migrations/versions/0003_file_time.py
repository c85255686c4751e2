"""Where a file has no sound and when its picture starts; how often a piece of work was begun."""

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
    # The one work whose file was being listened to in the old way is taken up like any other.
