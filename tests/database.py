"""A fresh, migrated database and media folder for a test class; real PostgreSQL."""

import os
import tempfile
import unittest
import uuid
from pathlib import Path

import sqlalchemy as sa

from gullywind.actions.context import Context
from gullywind.settings import Settings
from gullywind.store.migrate import migrate


class DatabaseTest(unittest.TestCase):
    """Sets `settings` and `context` for the class; run by `make test`, which starts the cluster."""

    settings: Settings
    context: Context
    #: How far the database is migrated.
    revision = "head"

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        pattern = os.environ.get("GULLYWIND_TEST_DATABASE")
        if pattern is None:
            raise unittest.SkipTest("no database: run `make test`")
        name = f"test_{uuid.uuid4().hex[:12]}"
        admin = sa.create_engine(pattern.format(name="postgres"), isolation_level="AUTOCOMMIT")
        with admin.connect() as connection:
            connection.execute(sa.text(f"CREATE DATABASE {name}"))
        cls.enterClassContext(_dropping(admin, name))
        folder = cls.enterClassContext(tempfile.TemporaryDirectory(prefix="gullywind-test-"))
        cls.settings = Settings(pattern.format(name=name), Path(folder), _web_dir())
        migrate(cls.settings.database_url, cls.revision)
        cls.context = cls.settings.context()
        cls.addClassCleanup(cls.context.database.dispose)
        cls.addClassCleanup(cls.context.queue.close)


class _dropping:  # noqa: N801 - a context manager, used like a function
    def __init__(self, admin: sa.Engine, name: str) -> None:
        self._admin, self._name = admin, name

    def __enter__(self) -> None:
        pass

    def __exit__(self, *_: object) -> None:
        with self._admin.connect() as connection:
            connection.execute(sa.text(f"DROP DATABASE {self._name} WITH (FORCE)"))
        self._admin.dispose()


def _web_dir() -> Path | None:
    folder = Path(__file__).resolve().parent.parent / "web" / "dist"
    return folder if folder.is_dir() else None
