"""A spool: decoded sound as raw interleaved samples in a file, and beside it where they lie in the file's time.

There whole or not at all, also where two processes make it at once.
"""

import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from gullywind.core.ground.errors import StorageError, UnreadableError
from gullywind.formats.file_time import FileTime

#: Decoded sound leaves this much of a disk free: a database that cannot write any more stops everything.
KEEP_FREE_BYTES = 256 << 20
LOOK_EVERY_BYTES = 64 << 20
#: No codec of sound goes below about 100 bit/s (silence takes 1200 in FLAC, 130 in Opus with long packets): what
#: decodes to more seconds than this for each of its bytes is made to fill disks.
MOST_SECONDS_PER_BYTE = 0.1
MOST_SECONDS_ANYWAY = 60.0


def file_time_path(spool: Path) -> Path:
    """Where a spool's place in its file's time is kept."""
    return spool.with_suffix(".time.json")


def spool_is_there(spool: Path) -> bool:
    """Whether a whole spool can be used again."""
    return spool.exists() and file_time_path(spool).exists()


class SpoolWriter:
    """Takes decoded sound; `file_time` must be set before the spool is whole."""

    def __init__(self, write: Callable[[bytes | memoryview], int], folder: Path, most_bytes: float) -> None:
        self._write, self._folder, self._most_bytes = write, folder, most_bytes
        self._written = self._looked = 0
        self.file_time: FileTime | None = None

    def write(self, packed: bytes | memoryview) -> None:
        """Add interleaved samples.

        Raises
        ------
        UnreadableError : there is more of it than the file can honestly hold.
        StorageError : too little room is left.
        """
        self._written += len(packed)
        if self._written > self._most_bytes:
            raise UnreadableError("claims to hold far more sound than a file of its size can")
        if self._written >= self._looked:
            self._looked = self._written + LOOK_EVERY_BYTES
            if shutil.disk_usage(self._folder).free < KEEP_FREE_BYTES:
                raise StorageError("decoded sound could not be stored: too little room is left on the disk")
        self._write(packed)


@contextmanager
def new_spool(spool: Path, *, file_bytes: int, bytes_per_second: int) -> Iterator[SpoolWriter]:
    """Write a spool beside its place; it takes its place when all is written, and leaves nothing where that fails.

    Parameters
    ----------
    file_bytes : size of the file that is decoded.
    bytes_per_second : of decoded sound.

    Raises
    ------
    StorageError : it could not be written.
    """
    most_bytes = max(MOST_SECONDS_ANYWAY, MOST_SECONDS_PER_BYTE * file_bytes) * bytes_per_second
    try:
        # A name of its own: two processes that decode one file do not write into each other's spool.
        handle, name = tempfile.mkstemp(dir=spool.parent, prefix=f"{spool.stem}-", suffix=".part")
    except OSError as error:
        raise _not_stored(error) from error
    part = Path(name)
    try:
        with os.fdopen(handle, "wb") as out:
            writer = SpoolWriter(out.write, spool.parent, most_bytes)
            yield writer
        assert writer.file_time is not None, "whoever writes a spool says where it lies in time"
        part_time = part.with_suffix(".part.json")
        writer.file_time.save(part_time)
        os.replace(part_time, file_time_path(spool))
        os.replace(part, spool)
    except OSError as error:
        raise _not_stored(error) from error
    finally:
        part.unlink(missing_ok=True)
        part.with_suffix(".part.json").unlink(missing_ok=True)


def _not_stored(error: OSError) -> StorageError:
    return StorageError(f"decoded sound could not be stored: {(error.strerror or str(error)).lower()}")
