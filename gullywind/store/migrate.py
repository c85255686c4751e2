"""Bring a database to the newest tables; `check` fails where tables and migrations disagree."""

from pathlib import Path

from alembic import command
from alembic.config import Config


def _config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def migrate(url: str, revision: str = "head") -> None:
    """Run all migrations that are missing, up to a revision."""
    command.upgrade(_config(url), revision)


def check(url: str) -> None:
    """Raise where the tables in code differ from the migrated database."""
    command.check(_config(url))
