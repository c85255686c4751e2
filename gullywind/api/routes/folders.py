"""Folders of the server's machine that recordings may be taken in from."""

from fastapi import APIRouter, Query

from gullywind.api.deps import ContextDep
from gullywind.api.models.folders import FolderOut
from gullywind.store.folders import list_folder

router = APIRouter(tags=["folders"])


@router.get("/folders")
def get_folder(context: ContextDep, path: str | None = Query(default=None, min_length=1, max_length=4096)) -> FolderOut:
    """A folder's folders and recordings; without a path the folders that are allowed, none unless a setting says so."""
    return FolderOut.of(list_folder(context.folders, path))
