"""First tables."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "media",
        sa.Column("content_hash", sa.String(), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=True),
        sa.Column("container", sa.String(), nullable=True),
        sa.Column("codec", sa.String(), nullable=True),
        sa.Column("sample_rate_hz", sa.Integer(), nullable=True),
        sa.Column("channels", sa.Integer(), nullable=True),
        sa.Column("samples", sa.BigInteger(), nullable=True),
        sa.Column("bits", sa.Integer(), nullable=True),
        sa.Column("is_float", sa.Boolean(), nullable=False),
        sa.Column("timecode", sa.String(), nullable=True),
        sa.Column("time_reference_samples", sa.BigInteger(), nullable=True),
        sa.Column("frame_rate", sa.Double(), nullable=True),
        sa.Column("truncated", sa.Boolean(), nullable=False),
        sa.Column("peak_dbfs", sa.Double(), nullable=True),
        sa.Column("loudness_lufs", sa.Double(), nullable=True),
        sa.Column("clipped_samples", sa.Integer(), nullable=False),
        sa.Column("silent", sa.Boolean(), nullable=False),
        sa.CheckConstraint("size_bytes >= 0", name=op.f("ck_media_size")),
        sa.PrimaryKeyConstraint("content_hash", name=op.f("pk_media")),
    )
    op.create_table(
        "project",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("frame_rate", sa.Double(), nullable=False),
        sa.Column("reference_id", sa.Uuid(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("frame_rate > 0 AND frame_rate <= 240", name=op.f("ck_project_frame_rate")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_project")),
    )
    op.create_table(
        "recording",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("project_id", sa.Uuid(), nullable=False),
        sa.Column("content_hash", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("map_number", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.CheckConstraint("map_number >= 0", name=op.f("ck_recording_map_number")),
        sa.ForeignKeyConstraint(["content_hash"], ["media.content_hash"], name=op.f("fk_recording_content_hash_media")),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_recording_project_id_project"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_recording")),
    )
    op.create_index(op.f("ix_recording_content_hash"), "recording", ["content_hash"], unique=False)
    op.create_index(op.f("ix_recording_project_id"), "recording", ["project_id"], unique=False)
    op.create_table(
        "alignment",
        sa.Column("recording_id", sa.Uuid(), nullable=False),
        sa.Column("reference_id", sa.Uuid(), nullable=True),
        sa.Column("status", sa.String(), nullable=False),
        sa.Column("confidence", sa.Double(), nullable=False),
        sa.Column("polarity", sa.Integer(), nullable=False),
        sa.Column("ppm_error", sa.Double(), nullable=True),
        sa.Column("candidates", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("residual", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("notes", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("trace", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("curve", sa.LargeBinary(), nullable=True),
        sa.Column("curve_start_s", sa.Double(), nullable=True),
        sa.Column("curve_step_s", sa.Double(), nullable=True),
        sa.Column("map_number", sa.Integer(), nullable=False),
        sa.CheckConstraint("confidence >= 0 AND confidence <= 1", name=op.f("ck_alignment_confidence")),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_alignment_recording_id_recording"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["reference_id"], ["recording.id"], name=op.f("fk_alignment_reference_id_recording"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("recording_id", name=op.f("pk_alignment")),
    )
    op.create_table(
        "map_version",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("recording_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("sentence", sa.String(), nullable=False),
        sa.Column("pieces", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.CheckConstraint("number > 0", name=op.f("ck_map_version_number")),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_map_version_recording_id_recording"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_map_version")),
        sa.UniqueConstraint("recording_id", "number", name=op.f("uq_map_version_recording_id")),
    )
    op.create_index(op.f("ix_map_version_recording_id"), "map_version", ["recording_id"], unique=False)
    op.create_table(
        "work",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("project_id", sa.Uuid(), nullable=False),
        sa.Column("recording_id", sa.Uuid(), nullable=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("fraction_done", sa.Double(), nullable=False),
        sa.Column("message", sa.String(), nullable=True),
        sa.Column("stop_asked", sa.Boolean(), nullable=False),
        sa.Column("queue_job_id", sa.BigInteger(), nullable=True),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.CheckConstraint("fraction_done >= 0 AND fraction_done <= 1", name=op.f("ck_work_fraction")),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_work_project_id_project"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_work_recording_id_recording"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_work")),
    )
    op.create_index(op.f("ix_work_project_id"), "work", ["project_id"], unique=False)
    op.create_index(op.f("ix_work_recording_id"), "work", ["recording_id"], unique=False)
    op.create_table(
        "delivery",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("project_id", sa.Uuid(), nullable=False),
        sa.Column("work_id", sa.Uuid(), nullable=False),
        sa.Column("recording_id", sa.Uuid(), nullable=True),
        sa.Column("form", sa.String(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=True),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("clock_timestamp()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["project_id"], ["project.id"], name=op.f("fk_delivery_project_id_project"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["recording_id"], ["recording.id"], name=op.f("fk_delivery_recording_id_recording"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["work_id"], ["work.id"], name=op.f("fk_delivery_work_id_work"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_delivery")),
    )
    op.create_index(op.f("ix_delivery_project_id"), "delivery", ["project_id"], unique=False)
    # Projects and recordings point at each other: this key comes when both are there.
    op.create_foreign_key(
        "fk_project_reference_id_recording", "project", "recording", ["reference_id"], ["id"], ondelete="SET NULL"
    )
    # The queue's own tables; raw, because its functions hold many statements.
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(SchemaManager.get_schema())


def downgrade() -> None:
    raise NotImplementedError("there is nothing before the first tables")
