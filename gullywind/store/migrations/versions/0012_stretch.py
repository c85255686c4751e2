"""Work on a stretch of time."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("start_s", "end_s"):
        op.add_column("work", sa.Column(name, sa.Double(), nullable=True))
