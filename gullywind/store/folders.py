"""Folders of this machine whose files may be taken in by their path: what is in them, and nothing outside them.

A file that is taken in stays where it is; the media folder holds a link to it under its content's name. The link has
the file's time of change as its own, so that a file that was changed afterwards is noticed.
"""

import mimetypes
import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

from gullywind.core.ground.errors import InputError, NotFoundError, StorageError, UnreadableError
from gullywind.store.files import MediaFolder, content_hasher

#: Of recorders and cameras, and unknown to many systems.
MORE_SUFFIXES = frozenset({".w64", ".rf64", ".bwf", ".caf", ".mxf", ".mts", ".m2ts", ".mkv", ".mka", ".opus", ".dv"})
READ_BYTES = 1 << 20


@dataclass(frozen=True, slots=True)
class FoundFile:
    """A file that may be a recording."""

    path: Path
    size_bytes: int


@dataclass(frozen=True, slots=True)
class Listing:
    """A folder's folders and files by name; `parent` is None where it may not be left upwards."""

    path: Path | None
    parent: Path | None
    folders: tuple[Path, ...]
    files: tuple[FoundFile, ...]


def list_folder(roots: Sequence[Path], path: str | None) -> Listing:
    """What is in a folder; without one, the folders that are allowed.

    Raises
    ------
    NotFoundError : there is no such folder, or it is not allowed.
    """
    if path is None:
        return Listing(None, None, tuple(roots), ())
    folder = allowed(roots, path)
    try:
        # A name that is not UTF-8 is not printable and cannot be asked for; such files can be brought in as uploads.
        shown = (one for one in folder.iterdir() if not one.name.startswith(".") and one.name.isprintable())
        found = sorted(shown, key=lambda one: one.name.lower())
        folders = tuple(one for one in found if one.is_dir())
        files = tuple(FoundFile(one, one.stat().st_size) for one in found if one.is_file() and may_have_sound(one))
    except OSError as error:
        raise NotFoundError(f"{folder.name} cannot be opened: {(error.strerror or str(error)).lower()}.") from error
    return Listing(folder, folder.parent if _inside(roots, folder.parent) else None, folders, files)


def allowed(roots: Sequence[Path], path: str) -> Path:
    """The path with all links followed, which must lie inside one of the roots; raises `NotFoundError`."""
    try:
        real = Path(path).resolve(strict=True)
    except (OSError, ValueError, RuntimeError) as error:
        raise NotFoundError("There is no such file or folder.") from error
    if not _inside(roots, real):
        raise NotFoundError("This folder is not among those that the server may take recordings from.")
    return real


def may_have_sound(path: Path) -> bool:
    """Whether its name is that of sound or video."""
    kind = mimetypes.guess_type(path.name)[0] or ""
    return kind.startswith(("audio/", "video/")) or path.suffix.lower() in MORE_SUFFIXES


def _inside(roots: Sequence[Path], path: Path) -> bool:
    return any(path.is_relative_to(root.resolve()) for root in roots)


class FileInPlace:
    """A file that is taken in where it lies; read once for its content's name. Used like an upload that has arrived."""

    def __init__(self, folder: MediaFolder, path: Path) -> None:
        self._folder, self._path = folder, path
        hasher = content_hasher()
        if not path.is_file():
            raise InputError("Only files can be taken in.")
        try:
            with path.open("rb", buffering=0) as file:
                self._mtime_ns = os.fstat(file.fileno()).st_mtime_ns
                self.size_bytes = 0
                while chunk := file.read(READ_BYTES):
                    hasher.update(chunk)
                    self.size_bytes += len(chunk)
        except OSError as error:
            reason = (error.strerror or str(error)).lower()
            raise UnreadableError(f"{path.name} cannot be read: {reason}.") from error
        self.content_hash = hasher.hexdigest()

    def share(self) -> None:
        """Send it to the other machines, if there are any: there it is no link."""
        self._folder.put_original(self.content_hash, self._path)

    def keep(self) -> str:
        """Put a link under the content's name, unless the content is stored already. Returns the hash."""
        self.share()
        final = self._folder.original(self.content_hash)
        if final.exists() and not final.is_symlink():
            return self.content_hash
        try:
            for folder in (final.parent, self._folder.incoming()):
                folder.mkdir(parents=True, exist_ok=True)
            # A link cannot take another's place at once, but can be moved there.
            part = self._folder.incoming() / f"link-{uuid4()}"
            part.symlink_to(self._path)
            os.replace(part, final)
            os.utime(final, ns=(self._mtime_ns, self._mtime_ns), follow_symlinks=False)
        except OSError as error:
            reason = (error.strerror or str(error)).lower()
            raise StorageError(f"{self._path.name} cannot be taken in: {reason}.") from error
        return self.content_hash
