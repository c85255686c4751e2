"""Room on disk: delete what belongs to nobody, keep what is derived within a budget, tell what is used by what."""

import contextlib
import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from gullywind.actions.context import Context
from gullywind.actions.projects.change_projects import forget_media
from gullywind.actions.projects.change_recordings import forget_removed
from gullywind.store.files import MediaFolder, size_of
from gullywind.store.placings import drop_unused_measurements
from gullywind.store.recordings import contents_removed, known_media, lock_media, media_in_use, unused_media
from gullywind.store.works import all_delivery_keys

#: Uploads write all the time; one that did not for an hour has nobody at its other end.
STALE_UPLOAD_S = 3600.0
#: Files that were made a moment ago may belong to work whose row is not stored yet.
YOUNG_S = 120.0
#: What was measured of files that nobody has any more is kept so long: they may come again.
KEPT_DAYS = 60
#: Derived files may take this much, and at most this share of what is free besides; what was used last stays.
BUDGET_BYTES, BUDGET_SHARE = 40 << 30, 0.5


@dataclass(frozen=True, slots=True)
class Room:
    """Bytes on disk: what was brought in, what is derived from it, what was delivered, and what is free.

    `spools`: what of the derived files is decoded sound, which is made again when it is needed. `removed`: what of the
    rest is kept for recordings alone that were removed, and may come back.
    """

    originals: int
    derived: int
    deliveries: int
    free: int
    spools: int
    removed: int


def room(context: Context) -> Room:
    """What is used by what."""
    media = context.media
    with context.database.session() as session:
        removed = contents_removed(session)
    of_removed = [one for kind in ("originals", "derived") for one in media.kept(kind) if one.name in removed]
    return Room(
        originals=_bytes_of(media, "originals"),
        derived=_bytes_of(media, "derived"),
        deliveries=_bytes_of(media, "deliveries"),
        free=_free(media.root),
        spools=sum(size_of(spool) for spool in _spools(media)),
        removed=sum(size_of(one) for one in of_removed),
    )


def sweep(context: Context, *, budget_bytes: int | None = None, young_s: float = YOUNG_S) -> None:
    """Delete originals, derived files, deliveries and uploads that belong to nobody, and decoded sound over the budget.

    Parameters
    ----------
    young_s : what was made this short a time ago may belong to work whose row is not stored yet, and stays.
    budget_bytes : for decoded sound; None: BUDGET_BYTES, or BUDGET_SHARE of the free room where that is less.
    """
    with context.database.session() as session:
        known, unused, deliveries = known_media(session), unused_media(session), all_delivery_keys(session)
        drop_unused_measurements(session, days=KEPT_DAYS)
    forget_removed(context)
    media = context.media
    for path in media.kept("incoming"):
        if _idle_s(path) > STALE_UPLOAD_S:
            path.unlink(missing_ok=True)
    for path in media.kept("deliveries"):
        if path.name not in deliveries and _idle_s(path) > young_s:
            media.delete_delivery(path.name)
    for content_hash in unused:
        forget_media(context, content_hash)
    for path in [*media.kept("originals"), *media.kept("derived")]:
        if path.name not in known and _idle_s(path) > young_s:
            _delete_unknown(context, path.name)
    for name, age_s in [*media.shared("originals"), *media.shared("derived")]:
        if name not in known and age_s > young_s:
            _delete_unknown(context, name)
    for name, age_s in media.shared("deliveries"):
        if name not in deliveries and age_s > young_s:
            media.delete_delivery(name)
    for path in media.kept("derived"):
        for left in path.glob("*.part*") if path.is_dir() else ():
            if _idle_s(left) > STALE_UPLOAD_S:
                left.unlink(missing_ok=True)
    if budget_bytes is None:
        budget_bytes = min(BUDGET_BYTES, int(BUDGET_SHARE * (_free(media.root) + _bytes_of(media, "derived"))))
    _keep_within(context, budget_bytes)


def free_derived(context: Context) -> int:
    """Delete all decoded sound; it is made again when it is needed. How many bytes came free."""
    before = _bytes_of(context.media, "derived")
    _keep_within(context, 0, young_s=0.0)
    return before - _bytes_of(context.media, "derived")


def _keep_within(context: Context, budget_bytes: int, *, young_s: float = YOUNG_S) -> None:
    """What was not used for longest goes first; features and peaks are small, and stay.

    Decoded sound is made again where it is needed; originals go only where another place holds them.
    """
    used = [(_idle_s(spool.parent), size_of(spool), spool) for spool in _spools(context.media)]
    if context.media.objects:
        used += [(_idle_s(path), size_of(path), path) for path in context.media.kept("originals") if path.is_file()]
    total = sum(size for _, size, _ in used)
    for idle_s, size, path in sorted(used, reverse=True):
        if total <= budget_bytes or idle_s < young_s:
            return
        # Whoever has it open reads on; whoever opens it next decodes or fetches it anew.
        path.unlink(missing_ok=True)
        total -= size


def _delete_unknown(context: Context, content_hash: str) -> None:
    """Delete files that no recording needs, unless somebody brings in the same content just now."""
    with context.database.session() as session:
        lock_media(session, content_hash)
        if not media_in_use(session, content_hash):
            context.media.delete(content_hash)


def _spools(media: MediaFolder) -> list[Path]:
    return [spool for path in media.kept("derived") if path.is_dir() for spool in path.glob("*.raw")]


def _bytes_of(media: MediaFolder, kind: str) -> int:
    return sum(size_of(path) for path in media.kept(kind))


def _free(folder: Path) -> int:
    folder.mkdir(parents=True, exist_ok=True)
    return shutil.disk_usage(folder).free


def _idle_s(path: Path) -> float:
    """How long ago it was changed, s; 0 where it is gone."""
    with contextlib.suppress(FileNotFoundError):
        return time.time() - path.lstat().st_mtime
    return 0.0
