"""Pictures that are delivered without their own sound."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("delivery", sa.Column("instead", sa.Boolean(), nullable=False, server_default="false"))
