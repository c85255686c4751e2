"""A spool: decoded sound as raw interleaved samples in a file, there whole or not at all."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from gullywind.core.errors import StorageError


@contextmanager
def new_spool(spool: Path) -> Iterator[BinaryIO]:
    """Write a spool beside its place; it takes its place when all is written, and leaves nothing where that fails.

    Raises
    ------
    StorageError : it could not be written.
    """
    part = spool.with_suffix(".part")
    try:
        with part.open("wb") as out:
            yield out
        os.replace(part, spool)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise StorageError(f"decoded sound could not be stored: {(error.strerror or str(error)).lower()}") from error
    except BaseException:
        part.unlink(missing_ok=True)
        raise
