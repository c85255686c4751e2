"""Room on disk as the interface shows it."""

from pydantic import BaseModel

from gullywind.actions.projects.sweep import Room


class RoomOut(BaseModel):
    """Bytes by what they are, and one sentence; `can_free`: something could be deleted and made again.

    `removed_words` is empty where nothing is kept for recordings that were removed.
    """

    originals: int
    derived: int
    deliveries: int
    free: int
    can_free: bool
    words: str
    removed_words: str

    @classmethod
    def of(cls, used: Room) -> "RoomOut":
        """From the core value."""
        words = (
            f"{_size(used.originals)} of recordings, {_size(used.derived)} made from them, "
            f"{_size(used.deliveries)} delivered; {_size(used.free)} are free on the disk."
        )
        return cls(
            originals=used.originals,
            derived=used.derived,
            deliveries=used.deliveries,
            free=used.free,
            can_free=used.spools > 0,
            words=words,
            removed_words=f"{_size(used.removed)} of it is of recordings that were removed." if used.removed else "",
        )


def _size(size_bytes: int) -> str:
    """A size that reads well, in decimal units as disks are sold.

    Examples
    --------
    >>> _size(0), _size(1_234_000), _size(98_700_000_000)
    ('0 MB', '1.2 MB', '99 GB')
    """
    unit, scale = ("GB", 1e9) if size_bytes >= 1e9 else ("MB", 1e6)
    value = size_bytes / scale
    return f"{value:.1f} {unit}" if 0 < value < 10 else f"{value:.0f} {unit}"
