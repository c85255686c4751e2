"""The media folder: originals named by content, what is derived from them, deliveries. Derived files can be deleted."""

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from blake3 import blake3

from gullywind.core.ground.errors import StorageError, UnreadableError


@dataclass(frozen=True)
class MediaFolder:
    """Paths below one folder. Only what is named `make` or `delete` touches the disk."""

    root: Path

    def original(self, content_hash: str) -> Path:
        """Where a file's bytes are kept."""
        return self.root / "originals" / content_hash[:2] / content_hash

    def whole_original(self, content_hash: str) -> Path:
        """The same for who reads it; raises `UnreadableError` where a file taken in by its path was changed."""
        path = self.original(content_hash)
        if path.is_symlink():
            try:
                changed = path.stat().st_mtime_ns != path.lstat().st_mtime_ns
            except OSError as error:
                raise UnreadableError("is not where it was taken in from; put it back, or bring it in again") from error
            if changed:
                raise UnreadableError("was changed since it was taken in from its folder; bring it in again")
        return path

    def derived(self, content_hash: str) -> Path:
        """Folder of what is made from a file; it need not be there."""
        return self.root / "derived" / content_hash[:2] / content_hash

    def make_derived(self, content_hash: str) -> Path:
        """Folder of what is made from a file, made if need be and marked as used now."""
        folder = self.derived(content_hash)
        folder.mkdir(parents=True, exist_ok=True)
        os.utime(folder)
        return folder

    def delivery(self, delivery_key: str) -> Path:
        """Folder of one delivery; it need not be there."""
        return self.root / "deliveries" / delivery_key

    def incoming(self) -> Path:
        """Folder of uploads that are still arriving; it need not be there."""
        return self.root / "incoming"

    def delete(self, content_hash: str) -> None:
        """Delete a file and all that was derived from it; what is not there is no matter."""
        self.original(content_hash).unlink(missing_ok=True)
        self.delete_derived(content_hash)

    def delete_derived(self, content_hash: str) -> None:
        """Delete what was derived from a file; it is made again when it is needed."""
        shutil.rmtree(self.derived(content_hash), ignore_errors=True)

    def delete_delivery(self, delivery_key: str) -> None:
        """Delete what was written for one delivery."""
        shutil.rmtree(self.delivery(delivery_key), ignore_errors=True)

    def kept(self, kind: str) -> Iterator[Path]:
        """What is kept of a kind: `originals` and `derived` by content, `deliveries` and `incoming` by key."""
        folder = self.root / kind
        two_deep = kind in ("originals", "derived")
        with contextlib.suppress(FileNotFoundError):
            for path in sorted(folder.iterdir()):
                yield from sorted(path.iterdir()) if two_deep and path.is_dir() else [path]


def size_of(path: Path) -> int:
    """Bytes of a file or of all files in a folder; 0 where it is gone meanwhile."""
    total = 0
    for one in path.rglob("*") if path.is_dir() else [path]:
        with contextlib.suppress(FileNotFoundError):
            # Of a link the link: the file that it leads to is its owner's.
            total += one.lstat().st_size if not one.is_dir() else 0
    return total


def content_hasher() -> blake3:
    """What names a file by its content.

    BLAKE3 is a tenth of the work of SHA-256 where the processor has no instructions for that, which was a third of the
    work of an upload. What SHA-256 named before keeps its name.
    """
    return blake3()


class IncomingFile:
    """Takes an upload chunk by chunk, hashing on the way; nothing is kept unless `keep` is called."""

    def __init__(self, folder: MediaFolder) -> None:
        self._folder = folder
        self._hash = content_hasher()
        self.size_bytes = 0
        try:
            incoming = folder.incoming()
            incoming.mkdir(parents=True, exist_ok=True)
            handle, name = tempfile.mkstemp(dir=incoming)
        except OSError as error:
            raise _not_stored(error) from error
        self._file = os.fdopen(handle, "wb")
        self._path = Path(name)

    def write(self, *chunks: bytes) -> None:
        """Add bytes; raises `StorageError` where the disk is full."""
        for chunk in chunks:
            try:
                self._file.write(chunk)
            except OSError as error:
                self.drop()
                raise _not_stored(error) from error
            self._hash.update(chunk)
            self.size_bytes += len(chunk)

    @property
    def content_hash(self) -> str:
        """The name of what has arrived so far."""
        return self._hash.hexdigest()

    def keep(self) -> str:
        """Put the file under its content's name; the same content is stored once. Returns the hash."""
        try:
            self._file.close()
            final = self._folder.original(self.content_hash)
            final.parent.mkdir(parents=True, exist_ok=True)
            os.replace(self._path, final)
        except OSError as error:
            self.drop()
            raise _not_stored(error) from error
        return self.content_hash

    def drop(self) -> None:
        """Forget what was written."""
        # Closing flushes, which fails again on a full disk; the file goes either way.
        with contextlib.suppress(OSError):
            self._file.close()
        self._path.unlink(missing_ok=True)

    @classmethod
    def take_all(cls, folder: MediaFolder, chunks: Iterable[bytes]) -> tuple[str, int]:
        """Store all chunks; returns hash and size."""
        incoming = cls(folder)
        for chunk in chunks:
            incoming.write(chunk)
        return incoming.keep(), incoming.size_bytes


def _not_stored(error: OSError) -> StorageError:
    return StorageError(f"The upload cannot be stored: {(error.strerror or str(error)).lower()}.")
