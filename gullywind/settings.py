"""Settings from the environment, read by the entry points and passed on as values."""

import os
from dataclasses import dataclass
from pathlib import Path

from gullywind.actions.context import Context
from gullywind.core.ground.errors import InputError
from gullywind.store.database import Database
from gullywind.store.files import MediaFolder
from gullywind.store.objects import ObjectStore
from gullywind.store.queue import JobQueue

#: A server on loopback goes by these names only.
LOCAL_HOSTS = frozenset({"127.0.0.1", "localhost", "::1"})


@dataclass(frozen=True)
class Settings:
    """Where things are."""

    database_url: str
    media_dir: Path
    web_dir: Path | None
    hosts: frozenset[str] = LOCAL_HOSTS
    access_key: str | None = None
    folders: tuple[Path, ...] = ()
    objects: ObjectStore | None = None

    @classmethod
    def from_environment(cls) -> "Settings":
        """Read GULLYWIND_ and DATABASE_URL, MEDIA_DIR, WEB_DIR, HOSTS, ACCESS_KEY, FOLDERS, OBJECTS; the first two must
        be set.

        The hosts are names that the server goes by besides those of loopback, with commas between; the folders are
        those whose files may be taken in by their path, separated as in PATH; the objects are the address of an object
        store, where several machines work together and the media folder is each one's cache.
        """
        try:
            url, media = os.environ["GULLYWIND_DATABASE_URL"], os.environ["GULLYWIND_MEDIA_DIR"]
        except KeyError as error:
            raise InputError(f"{error.args[0]} must be set; `make demo` and `make dev` do that.") from error
        objects = os.environ.get("GULLYWIND_OBJECTS")
        web = os.environ.get("GULLYWIND_WEB_DIR")
        hosts = (name.strip().lower() for name in os.environ.get("GULLYWIND_HOSTS", "").split(","))
        return cls(
            url,
            Path(media),
            Path(web) if web else None,
            LOCAL_HOSTS | {name for name in hosts if name},
            os.environ.get("GULLYWIND_ACCESS_KEY") or None,
            tuple(Path(one) for one in os.environ.get("GULLYWIND_FOLDERS", "").split(os.pathsep) if one),
            ObjectStore.at(objects) if objects else None,
        )

    def context(self) -> Context:
        """Connect the parts."""
        return Context(
            Database(self.database_url),
            MediaFolder(self.media_dir, self.objects),
            JobQueue(self.database_url),
            self.folders,
        )
