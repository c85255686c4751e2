"""The proof of a map, what is heard in gaps and of the pitch, and judgements that name their map by its key."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "proof",
        sa.Column("recording_id", sa.Uuid(), nullable=False),
        sa.Column("map_version_id", sa.Uuid(), nullable=False),
        sa.Column("residual", postgresql.JSONB(), nullable=True),
        sa.Column("windows", postgresql.JSONB(), nullable=False),
        sa.Column("window_s", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_proof_recording_id_recording"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["map_version_id"], ["map_version.id"], name=op.f("fk_proof_map_version_id_map_version"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("recording_id", name=op.f("pk_proof")),
    )
    op.add_column("map_version", sa.Column("gaps", sa.String(), nullable=False, server_default="silent"))
    op.add_column("map_version", sa.Column("pitch", sa.String(), nullable=False, server_default="sensible"))
    op.alter_column("map_version", "gaps", server_default=None)
    op.alter_column("map_version", "pitch", server_default=None)
    op.add_column("alignment", sa.Column("map_version_id", sa.Uuid(), nullable=True))
    op.create_foreign_key(
        op.f("fk_alignment_map_version_id_map_version"),
        "alignment",
        "map_version",
        ["map_version_id"],
        ["id"],
        ondelete="SET NULL",
    )
    op.execute(
        "UPDATE alignment SET map_version_id = map_version.id FROM map_version"
        " WHERE map_version.recording_id = alignment.recording_id AND map_version.number = alignment.map_number"
    )
    op.add_column("alignment", sa.Column("channels", postgresql.JSONB(), nullable=True))
    # What the fit thought of itself is no proof, and is not carried over.
    op.drop_column("alignment", "residual")
    op.drop_column("alignment", "trace")
    op.drop_column("alignment", "map_number")
