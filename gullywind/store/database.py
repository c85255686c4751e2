"""Sessions on PostgreSQL, and the announcement of changes to whoever watches a project."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from uuid import UUID

from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from gullywind.core.ground.errors import ConflictError, GullywindError

__all__ = ["CHANGES", "BusyError", "Database", "DatabaseGoneError", "Session", "announce", "driver_connection"]

#: NOTIFY channel; the payload is the project's id.
CHANGES = "gullywind_changes"


class DatabaseGoneError(GullywindError):
    """The database does not answer."""

    code = "database-gone"


class BusyError(GullywindError):
    """Another change holds what this one needs."""

    code = "busy"


#: No statement may wait or run longer: whoever asks is told, and nothing piles up behind it.
TIME_LIMITS = "-c lock_timeout=5s -c statement_timeout=30s -c idle_in_transaction_session_timeout=60s"
#: SQLSTATE of a lock that was not to be had, a statement that took too long, a deadlock, a serialisation failure.
BUSY_STATES = {"55P03", "57014", "40P01", "40001"}


class Database:
    """One engine; hands out sessions that commit at the end or roll back."""

    def __init__(self, url: str) -> None:
        self.url = url
        # pre_ping: a database that was restarted is noticed before a person's request fails on it.
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_size=10, pool_timeout=10, connect_args={"options": TIME_LIMITS}
        )

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits when the block ends well."""
        try:
            with Session(self.engine, expire_on_commit=False) as session:
                yield session
                session.commit()
        except StaleDataError as error:
            raise ConflictError("This was changed elsewhere meanwhile; it has been loaded again.") from error
        except PoolTimeoutError as error:
            raise BusyError("Too much is asked for at once. Try again in a moment.") from error
        except OperationalError as error:
            if getattr(error.orig, "sqlstate", None) in BUSY_STATES:
                raise BusyError("This is being changed elsewhere just now. Try again in a moment.") from error
            raise DatabaseGoneError("The database does not answer. Is it running? Try again in a moment.") from error

    @contextmanager
    def alone(self, key: str, wait: Callable[[], None]) -> Iterator[None]:
        """Nobody else, on any machine, is inside with the same key; `wait` is called until it is free, and may raise.

        No transaction is open meanwhile: the database lets go when this ends, or when this process does.
        """
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            while not connection.scalar(text("SELECT pg_try_advisory_lock(hashtextextended(:key, 11))"), {"key": key}):
                wait()
            try:
                yield
            finally:
                connection.execute(text("SELECT pg_advisory_unlock(hashtextextended(:key, 11))"), {"key": key})

    def dispose(self) -> None:
        """Close all connections."""
        self.engine.dispose()


def announce(session: Session, project_id: UUID) -> None:
    """Tell all watchers, when this session commits, that the project changed."""
    session.execute(text("SELECT pg_notify(:channel, :payload)"), {"channel": CHANGES, "payload": str(project_id)})


def driver_connection(session: Session) -> object:
    """The psycopg connection that the session writes on, for queueing a job in the same transaction."""
    return session.connection().connection.driver_connection
