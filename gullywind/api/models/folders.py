"""Folders of the server's machine as the interface sees them."""

from pydantic import BaseModel, Field

from gullywind.api.models.recordings import Body
from gullywind.store.folders import Listing


class PathIn(Body):
    """A file by its path on the server's machine."""

    path: str = Field(min_length=1, max_length=4096)


class PlaceOut(BaseModel):
    """A folder or file."""

    name: str
    path: str


class FileOut(PlaceOut):
    """A file that may be a recording."""

    size_bytes: int


class FolderOut(BaseModel):
    """What is in a folder; without a path, the folders that recordings may be taken in from."""

    path: str | None
    parent: str | None
    folders: list[PlaceOut]
    files: list[FileOut]

    @classmethod
    def of(cls, found: Listing) -> "FolderOut":
        """From the store's value."""
        return cls(
            path=str(found.path) if found.path else None,
            parent=str(found.parent) if found.parent else None,
            # Of those that are allowed the whole path: their names alone may be alike.
            folders=[PlaceOut(name=one.name if found.path else str(one), path=str(one)) for one in found.folders],
            files=[FileOut(name=one.path.name, path=str(one.path), size_bytes=one.size_bytes) for one in found.files],
        )
