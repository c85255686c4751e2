"""Settings from the environment, read by the entry points and passed on as values."""

import os
from dataclasses import dataclass
from pathlib import Path

from gullywind.actions.context import Context
from gullywind.core.errors import InputError
from gullywind.store.database import Database
from gullywind.store.files import MediaFolder
from gullywind.store.queue import JobQueue


@dataclass(frozen=True)
class Settings:
    """Where things are."""

    database_url: str
    media_dir: Path
    web_dir: Path | None

    @classmethod
    def from_environment(cls) -> "Settings":
        """Read GULLYWIND_DATABASE_URL, GULLYWIND_MEDIA_DIR and GULLYWIND_WEB_DIR."""
        try:
            url, media = os.environ["GULLYWIND_DATABASE_URL"], os.environ["GULLYWIND_MEDIA_DIR"]
        except KeyError as error:
            raise InputError(f"{error.args[0]} must be set; `make demo` and `make dev` do that.") from error
        web = os.environ.get("GULLYWIND_WEB_DIR")
        return cls(url, Path(media), Path(web) if web else None)

    def context(self) -> Context:
        """Connect the parts."""
        return Context(Database(self.database_url), MediaFolder(self.media_dir), JobQueue(self.database_url))
