"""Sharp sounds, timecode and true peaks as they were heard; marks, and who does not belong."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("media", sa.Column("timecode_rate", sa.String(), nullable=True))
    op.add_column("media", sa.Column("timecode_drop", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("media", "timecode_drop", server_default=None)
    # Null until a file is listened to again: what was heard of it before knew neither.
    op.add_column("media", sa.Column("timecode_runs", JSONB(), nullable=True))
    op.add_column("media", sa.Column("claps", JSONB(), nullable=True))
    op.add_column("media", sa.Column("true_peak_dbtp", sa.Double(), nullable=True))
    op.add_column("recording", sa.Column("set_aside", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("recording", "set_aside", server_default=None)
    op.create_table(
        "mark",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("recording_id", sa.Uuid(), nullable=False),
        sa.Column("t_rec", sa.Double(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.CheckConstraint("t_rec >= 0", name=op.f("ck_mark_time")),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_mark_recording_id_recording"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mark")),
    )
    op.create_index(op.f("ix_mark_recording_id"), "mark", ["recording_id"])
