"""The media folder: originals named by content, what is derived from them, deliveries. Derived files can be deleted."""

import hashlib
import os
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from gullywind.core.errors import StorageError


@dataclass(frozen=True)
class MediaFolder:
    """Paths below one folder."""

    root: Path

    def original(self, content_hash: str) -> Path:
        """Where a file's bytes are kept."""
        return self.root / "originals" / content_hash[:2] / content_hash

    def derived(self, content_hash: str) -> Path:
        """Folder of what is made from a file; created on demand."""
        folder = self.root / "derived" / content_hash[:2] / content_hash
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def deliveries(self) -> Path:
        """Folder of files to take home; created on demand."""
        folder = self.root / "deliveries"
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def delete(self, content_hash: str) -> None:
        """Delete a file and all that was derived from it."""
        self.original(content_hash).unlink(missing_ok=True)
        folder = self.derived(content_hash)
        for path in folder.iterdir():
            path.unlink()
        folder.rmdir()


class IncomingFile:
    """Takes an upload chunk by chunk, hashing on the way; nothing is kept unless `keep` is called."""

    def __init__(self, folder: MediaFolder) -> None:
        self._folder = folder
        self._hash = hashlib.sha256()
        self.size_bytes = 0
        try:
            incoming = folder.root / "incoming"
            incoming.mkdir(parents=True, exist_ok=True)
            handle, name = tempfile.mkstemp(dir=incoming)
        except OSError as error:
            raise StorageError(f"The upload cannot be stored: {(error.strerror or str(error)).lower()}.") from error
        self._file = os.fdopen(handle, "wb")
        self._path = Path(name)

    def write(self, chunk: bytes) -> None:
        """Add bytes; raises `StorageError` where the disk is full."""
        try:
            self._file.write(chunk)
        except OSError as error:
            self.drop()
            raise StorageError(f"The upload cannot be stored: {(error.strerror or str(error)).lower()}.") from error
        self._hash.update(chunk)
        self.size_bytes += len(chunk)

    def keep(self) -> str:
        """Put the file under its content's name; the same content is stored once. Returns the hash."""
        try:
            self._file.close()
            content_hash = self._hash.hexdigest()
            final = self._folder.original(content_hash)
            final.parent.mkdir(parents=True, exist_ok=True)
            os.replace(self._path, final)
        except OSError as error:
            self.drop()
            raise StorageError(f"The upload cannot be stored: {(error.strerror or str(error)).lower()}.") from error
        return content_hash

    def drop(self) -> None:
        """Forget what was written."""
        # Closing flushes, which fails again on a full disk; the file goes either way.
        try:
            self._file.close()
        except OSError:
            self._path.unlink(missing_ok=True)
        self._path.unlink(missing_ok=True)

    @classmethod
    def take_all(cls, folder: MediaFolder, chunks: Iterable[bytes]) -> tuple[str, int]:
        """Store all chunks; returns hash and size."""
        incoming = cls(folder)
        for chunk in chunks:
            incoming.write(chunk)
        return incoming.keep(), incoming.size_bytes
