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
from gullywind.store.objects import ObjectStore


@dataclass(frozen=True)
class MediaFolder:
    """Paths below one folder. Only what is named `make`, `fetch`, `put` or `delete` touches the disk.

    With `objects` the folder is this machine's cache by content, and the object store holds what all machines share:
    originals, peaks and features, deliveries. Decoded sound is made on every machine that needs it.
    """

    root: Path
    objects: ObjectStore | None = None

    def original(self, content_hash: str) -> Path:
        """Where a file's bytes are kept."""
        return self.root / "originals" / content_hash[:2] / content_hash

    def whole_original(self, content_hash: str) -> Path:
        """The same for who reads it, fetched if need be.

        Raises
        ------
        UnreadableError : it is gone, or a file taken in by its path was changed.
        """
        path = self.original(content_hash)
        if path.is_symlink():
            try:
                changed = path.stat().st_mtime_ns != path.lstat().st_mtime_ns
            except OSError as error:
                raise UnreadableError("is not where it was taken in from; put it back, or bring it in again") from error
            if changed:
                raise UnreadableError("was changed since it was taken in from its folder; bring it in again")
            return path
        if not self._is_here(path):
            raise UnreadableError("is gone from where it was stored; bring it in again")
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

    def fetch_derived(self, content_hash: str, name: str) -> Path:
        """Path of one derived file, fetched where another machine made it; it need not be there."""
        path = self.derived(content_hash) / name
        self._is_here(path)
        return path

    def put_derived(self, content_hash: str, names: Iterable[str]) -> None:
        """Share derived files with the other machines."""
        if self.objects:
            for name in names:
                self._put(self.derived(content_hash) / name)

    def put_original(self, content_hash: str, path: Path) -> None:
        """Share a file's bytes, which lie at a path, with the other machines; what is shared already is not sent."""
        key = self._key(self.original(content_hash))
        if self.objects and not any(one.key == key for one in self.objects.under(key)):
            self.objects.put(key, path)

    def delivery(self, delivery_key: str) -> Path:
        """Folder of one delivery; it need not be there."""
        return self.root / "deliveries" / delivery_key

    def fetch_delivered(self, delivery_key: str, name: str) -> Path:
        """Path of a delivered file, fetched where another machine wrote it; it need not be there."""
        path = self.delivery(delivery_key) / name
        self._is_here(path)
        return path

    def put_delivered(self, path: Path) -> None:
        """Share a delivered file with the other machines."""
        if self.objects:
            self._put(path)

    def incoming(self) -> Path:
        """Folder of uploads that are still arriving; it need not be there."""
        return self.root / "incoming"

    def delete(self, content_hash: str) -> None:
        """Delete a file and all that was derived from it; what is not there is no matter."""
        self.original(content_hash).unlink(missing_ok=True)
        if self.objects:
            self.objects.delete(self._key(self.original(content_hash)))
        self.delete_derived(content_hash)

    def delete_derived(self, content_hash: str) -> None:
        """Delete what was derived from a file; it is made again when it is needed."""
        shutil.rmtree(self.derived(content_hash), ignore_errors=True)
        if self.objects:
            self.objects.delete(f"{self._key(self.derived(content_hash))}/")

    def delete_delivery(self, delivery_key: str) -> None:
        """Delete what was written for one delivery."""
        shutil.rmtree(self.delivery(delivery_key), ignore_errors=True)
        if self.objects:
            self.objects.delete(f"{self._key(self.delivery(delivery_key))}/")

    def kept(self, kind: str) -> Iterator[Path]:
        """What is kept here of a kind: `originals` and `derived` by content, `deliveries` and `incoming` by key."""
        folder = self.root / kind
        two_deep = kind in ("originals", "derived")
        with contextlib.suppress(FileNotFoundError):
            for path in sorted(folder.iterdir()):
                yield from sorted(path.iterdir()) if two_deep and path.is_dir() else [path]

    def shared(self, kind: str) -> Iterator[tuple[str, float]]:
        """Names of what the object store holds of a kind, by content or key, and how old each is, s."""
        if self.objects:
            for one in self.objects.under(f"{kind}/"):
                parts = one.key.split("/")
                yield parts[2 if kind in ("originals", "derived") else 1], one.age_s

    def _is_here(self, path: Path) -> bool:
        """Whether a file is on this machine, fetched if it is shared."""
        if path.exists():
            if self.objects:
                # What was used last stays in the cache longest.
                os.utime(path)
            return True
        return self.objects is not None and self.objects.fetch(self._key(path), path)

    def _put(self, path: Path) -> None:
        assert self.objects is not None
        if path.exists():
            self.objects.put(self._key(path), path)

    def _key(self, path: Path) -> str:
        return path.relative_to(self.root).as_posix()


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

    def share(self) -> None:
        """Send all that has arrived to the other machines, if there are any; long, so before a transaction is open."""
        if self._folder.objects and not self._file.closed:
            self._file.flush()
            self._folder.put_original(self.content_hash, self._path)

    def keep(self) -> str:
        """Put the file under its content's name; the same content is stored once. Returns the hash."""
        # Again under the lock that the caller holds: somebody may just have removed the same content.
        self.share()
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
