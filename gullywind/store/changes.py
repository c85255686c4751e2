"""Listens to the database's announcements and wakes whoever watches a project."""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager

import psycopg

from gullywind.store.database import CHANGES
from gullywind.store.queue import driver_url

log = logging.getLogger(__name__)
AGAIN_AFTER_S = 1.0


class ChangeFeed:
    """One connection that listens for the whole server."""

    def __init__(self, url: str) -> None:
        self._url = driver_url(url)
        self._watchers: dict[str, set[asyncio.Event]] = defaultdict(set)
        self.closing = asyncio.Event()

    @contextmanager
    def watch(self, project_id: str) -> Iterator[asyncio.Event]:
        """An event that is set on every change of a project."""
        event = asyncio.Event()
        self._watchers[project_id].add(event)
        try:
            yield event
        finally:
            self._watchers[project_id].discard(event)

    def close(self) -> None:
        """Wake all watchers so that they end."""
        self.closing.set()
        for events in self._watchers.values():
            for event in events:
                event.set()

    async def run(self) -> None:
        """Listen until cancelled; a database that went away is asked again every second."""
        away = False
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self._url, autocommit=True) as connection:
                    await connection.execute(f"LISTEN {CHANGES}")
                    away = False
                    # Something may have changed while nobody listened.
                    for project_id in list(self._watchers):
                        self._wake(project_id)
                    async for notice in connection.notifies():
                        self._wake(notice.payload)
            except psycopg.OperationalError as error:
                if not away:
                    log.warning("the database does not answer: %s", str(error).splitlines()[0])
                away = True
                await asyncio.sleep(AGAIN_AFTER_S)

    def _wake(self, project_id: str) -> None:
        for event in self._watchers.get(project_id, ()):
            event.set()
