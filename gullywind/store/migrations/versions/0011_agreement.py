"""How much of what two recordings share is alike, beside how sure it is that they do."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("measurement", sa.Column("agreement", sa.Double(), nullable=True))
