"""Frame rates as fractions; when work ended."""

from fractions import Fraction

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("work", sa.Column("ended_at", sa.DateTime(), nullable=True))
    op.create_index(op.f("ix_work_ended_at"), "work", ["ended_at"])
    op.drop_constraint(op.f("ck_project_frame_rate"), "project")
    for table in ("project", "media"):
        column: sa.ColumnClause = sa.column("frame_rate")
        rates = op.get_bind().scalars(sa.select(column).select_from(sa.table(table, column)).distinct()).all()
        op.alter_column(table, "frame_rate", type_=sa.String(), postgresql_using="frame_rate::text")
        stored = sa.table(table, sa.column("frame_rate", sa.String()))
        for rate in rates:
            if rate is not None:
                asked = sa.cast(sa.cast(sa.literal(rate), sa.Double()), sa.String())
                op.execute(
                    sa.update(stored).where(stored.c.frame_rate == asked).values(frame_rate=_fraction(float(rate)))
                )


def _fraction(rate: float) -> str:
    """23.976 was stored for 24000/1001; files told theirs to the last digit of a float."""
    whole = round(rate)
    for exact in (Fraction(whole), Fraction(whole * 1000, 1001)):
        if abs(float(exact) - rate) < 2e-3:
            return str(exact)
    return str(Fraction(rate).limit_denominator(1001))
