"""Alembic's entry: migrates the database that the caller's connection or URL names."""

from alembic import context
from sqlalchemy import create_engine

from gullywind.store.tables import Base


def _own(obj: object, name: str | None, kind: str, reflected: bool, compare_to: object) -> bool:
    # The queue's tables belong to its library.
    return not (kind == "table" and name and name.startswith("procrastinate_"))


engine = create_engine(context.config.get_main_option("sqlalchemy.url") or "")
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, include_object=_own, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
