"""Sessions on PostgreSQL, and the announcement of changes to whoever watches a project."""

from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from gullywind.core.errors import ConflictError, GullywindError

__all__ = ["CHANGES", "Database", "DatabaseGoneError", "Session", "announce", "driver_connection"]

#: NOTIFY channel; the payload is the project's id.
CHANGES = "gullywind_changes"


class DatabaseGoneError(GullywindError):
    """The database does not answer."""

    code = "database-gone"


class Database:
    """One engine; hands out sessions that commit at the end or roll back."""

    def __init__(self, url: str) -> None:
        self.url = url
        # pre_ping: a database that was restarted is noticed before a person's request fails on it.
        self.engine: Engine = create_engine(url, pool_pre_ping=True, pool_size=10)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits when the block ends well."""
        try:
            with Session(self.engine, expire_on_commit=False) as session:
                yield session
                session.commit()
        except StaleDataError as error:
            raise ConflictError("This was changed elsewhere meanwhile; it has been loaded again.") from error
        except OperationalError as error:
            raise DatabaseGoneError("The database does not answer. Is it running? Try again in a moment.") from error

    def dispose(self) -> None:
        """Close all connections."""
        self.engine.dispose()


def announce(session: Session, project_id: UUID) -> None:
    """Tell all watchers, when this session commits, that the project changed."""
    session.execute(text("SELECT pg_notify(:channel, :payload)"), {"channel": CHANGES, "payload": str(project_id)})


def driver_connection(session: Session) -> object:
    """The psycopg connection that the session writes on, for queueing a job in the same transaction."""
    return session.connection().connection.driver_connection
